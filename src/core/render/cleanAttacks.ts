import type { Attack } from '../analysis/analysis'
import { type AudioBlock, type Channels, silence } from '../audio/block'
import { square } from '../dsp/portable'
import { lowerBound } from '../dsp/search'
import type { Voice } from '../methods/method'
import { asSource } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'

/**
 * Long windows hear an attack before it comes, and where the time before it is bent they lay some of it there. What
 * the source has right before the attack, and its first moment, are laid over that: an attack that was moved to a grid
 * is judged by when it begins.
 */

const BEFORE_SECONDS = 0.01
const BEHIND_SECONDS = 0.003
const IN_SECONDS = 0.003
/** what is compared: from so long before the attack, to so long before it */
const NEAR_SECONDS = 0.005
const CLEAR_SECONDS = 0.001
/** so much more than the source has before an attack, as energy, is the attack */
const TOO_MUCH = 1.5

interface Region {
  readonly from: number
  readonly to: number
  /** source frame − output frame */
  readonly offset: number
}

/** @param attacks  of the block, rising. */
export function withCleanAttacks(voice: Voice, audio: AudioBlock, map: TimeMap, attacks: readonly Attack[]): Voice {
  const { sampleRate, channels: own } = audio
  const frames = own[0]?.length ?? 0
  const inFrames = (seconds: number) => Math.round(seconds * sampleRate)
  const [before, behind, way, near, clear] = [
    BEFORE_SECONDS,
    BEHIND_SECONDS,
    IN_SECONDS,
    NEAR_SECONDS,
    CLEAR_SECONDS,
  ].map(inFrames) as [number, number, number, number, number]
  const regions: Region[] = []
  for (const { frame } of attacks) {
    const output = Math.round(map.outputAt(asSource(frame)))
    const from = output - before
    const isWithin = frame >= before && frame + behind <= frames && from >= 0 && output + behind <= map.outputFrames
    if (isWithin && from >= (regions.at(-1)?.to ?? 0))
      regions.push({ from, to: output + behind, offset: frame - output })
  }
  if (regions.length === 0) return voice
  const ends = regions.map(({ to }) => to)
  const length = before + behind
  let made: { readonly region: Region; readonly channels: Float32Array[] } | undefined

  /** All of a region, as it is heard: how it comes out does not depend on where reading began. */
  function channelsOf(region: Region): Channels {
    if (made?.region === region) return made.channels
    const channels = silence(own.length, length)
    voice.read(region.from, channels)
    made = { region, channels }
    const start = region.from + region.offset
    let [heard, there] = [0, 0]
    channels.forEach((channel, c) => {
      const source = own[c] as Float32Array
      for (let i = before - near; i < before - clear; i++) {
        heard += square(channel[i] as number)
        there += square(source[start + i] as number)
      }
    })
    if (heard <= TOO_MUCH * there) return channels
    channels.forEach((channel, c) => {
      const source = own[c] as Float32Array
      for (let i = 0; i < length; i++) {
        const share = Math.min(1, (i + 0.5) / way, (length - i - 0.5) / behind)
        const weight = share * share * (3 - 2 * share)
        channel[i] = (channel[i] as number) + weight * ((source[start + i] as number) - (channel[i] as number))
      }
    })
    return channels
  }

  return {
    read(outputFrame, out) {
      const count = out[0]?.length ?? 0
      for (let done = 0; done < count; ) {
        const frame = outputFrame + done
        const region = regions[lowerBound(ends, frame + 1)]
        const isInside = region !== undefined && frame >= region.from
        const end = Math.min(
          outputFrame + count,
          region ? (isInside ? region.to : region.from) : Number.POSITIVE_INFINITY,
        )
        const part = out.map((channel) => channel.subarray(done, end - outputFrame))
        if (isInside) {
          const channels = channelsOf(region)
          part.forEach((channel, c) => {
            channel.set((channels[c] as Float32Array).subarray(frame - region.from, end - region.from))
          })
        } else voice.read(frame, part)
        done = end - outputFrame
      }
    },
  }
}
