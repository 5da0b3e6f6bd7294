import type { Channels } from '../audio/block'
import type { SoundSource } from '../audio/soundSource'
import type { Pulled } from '../dsp/overlapAdd'
import { atRate, framesAtRate } from '../render/atRate'
import { sourceVoice } from '../render/openVoice'

/** A sound to be read from any frame on, silent outside. */
export interface Side {
  readonly sampleRate: number
  readonly channelCount: number
  readonly frames: number
  readonly voice: Pulled
}

export const sideOf = (source: SoundSource): Side => ({
  sampleRate: source.sampleRate,
  channelCount: source.channelCount,
  frames: source.frames,
  voice: sourceVoice(source),
})

/** The rhythm at the body's rate, going round where it is shorter. */
export function heldTo(body: Side, rhythm: Side): Side {
  const voice = atRate(rhythm, body.sampleRate)
  return {
    sampleRate: body.sampleRate,
    channelCount: rhythm.channelCount,
    frames: framesAtRate(rhythm.frames, rhythm.sampleRate, body.sampleRate),
    voice,
  }
}

/** Read a side round and round: `from` may lie before its start or behind its end. */
export function readRound({ frames, voice }: Side, from: number, out: Channels) {
  const count = out[0]?.length ?? 0
  for (let at = 0; at < count; ) {
    const place = (((from + at) % frames) + frames) % frames
    const take = Math.min(count - at, frames - place)
    voice.read(
      place,
      out.map((channel) => channel.subarray(at, at + take)),
    )
    at += take
  }
}
