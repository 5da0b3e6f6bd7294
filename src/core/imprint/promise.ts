import { type AudioBlock, frameCount } from '../audio/block'

/**
 * How much a pair promises, 0 to 1, and why: the rhythm should come and go, the body go on.
 * @param rhythm  how much of its energy comes in the loudest tenth of its time; the same of the body.
 */
export function promiseOf(rhythm: Comings, body: Comings): { readonly promise: number; readonly why: string } {
  const comes = Math.min(1, Math.max(0, (rhythm.peaky - 0.12) / 0.35))
  const stays = Math.min(1, Math.max(0, (0.4 - body.peaky) / 0.25))
  const promise = comes * stays
  const why =
    promise > 0.5
      ? 'one comes and goes, the other goes on'
      : comes < 0.4
        ? 'the first hardly comes and goes: little rhythm to give'
        : 'the second comes and goes itself: gaps stay gaps'
  return { promise, why }
}

export interface Comings {
  readonly peaky: number
}

/** How much of a sound's energy comes in the loudest tenth of its time, 0.1 to 1. */
export function comingsOf(audio: AudioBlock): Comings {
  const step = Math.max(1, Math.round(0.02 * audio.sampleRate))
  const frames = frameCount(audio)
  const powers = Array.from({ length: Math.max(1, Math.floor(frames / step)) }, (_, n) =>
    audio.channels.reduce(
      (sum, channel) => sum + channel.subarray(n * step, (n + 1) * step).reduce((own, value) => own + value * value, 0),
      0,
    ),
  ).sort((a, b) => b - a)
  const total = powers.reduce((sum, value) => sum + value, 0)
  const tenth = powers.slice(0, Math.max(1, Math.round(powers.length / 10))).reduce((sum, value) => sum + value, 0)
  return { peaky: total > 0 ? tenth / total : 0 }
}
