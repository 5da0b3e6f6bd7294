import type { AudioBlock } from '../audio/block'
import { cosTurns } from '../dsp/portable'
import type { Voice } from './method'

/** short against what is heard as a change of sound, long against a click */
const SECONDS = 0.003

/**
 * A voice that starts on the very sample that its source starts on. Windows that reach over the start from behind bring some of
 * what is to come, and where a result is cut at its first frame that is a step. The step is taken off and let back in within
 * three milliseconds; an edge that the source has of its own stays as it is.
 *
 * Only a reading from frame 0 has a start; one that begins elsewhere is left alone.
 */
export function ownStart(source: AudioBlock, voice: Voice): Voice {
  const length = Math.max(1, Math.round(SECONDS * source.sampleRate))
  let step: number[] | undefined
  let next = Number.NaN
  return {
    read(frame, out) {
      voice.read(frame, out)
      const count = out[0]?.length ?? 0
      if (frame === 0 && count > 0)
        step = out.map((channel, c) => (channel[0] as number) - (source.channels[c]?.[0] ?? 0))
      else if (frame !== next) step = undefined
      next = frame + count
      if (!step || frame >= length) return
      const end = Math.min(count, length - frame)
      out.forEach((channel, c) => {
        const off = step?.[c] as number
        for (let i = 0; i < end; i++) {
          const left = 0.5 + 0.5 * cosTurns((frame + i) / (2 * length))
          channel[i] = (channel[i] as number) - off * left
        }
      })
    },
  }
}
