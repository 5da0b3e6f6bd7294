import type { SoundSource } from '../audio/soundSource'

const FADE_SECONDS = 0.005

/**
 * A sound of another length: cut, its last 5 ms faded, or with silence behind it.
 * @throws {RangeError} if `frames` is not whole and above 0.
 */
export function ofLength(source: SoundSource, frames: number): SoundSource {
  if (!(Number.isInteger(frames) && frames > 0))
    throw new RangeError(`ofLength: frames must be whole and above 0, got ${frames}`)
  if (frames === source.frames) return source
  const { levels: _, ahead: __, kin: ___, ...rest } = source
  const fade = Math.min(frames, Math.round(FADE_SECONDS * source.sampleRate))
  const cut = frames < source.frames
  return {
    ...rest,
    frames,
    part(from, to) {
      const { sampleRate, channels } = source.part(Math.min(from, source.frames), Math.min(to, source.frames))
      return {
        sampleRate,
        channels: channels.map((channel) => {
          const own = new Float32Array(to - from)
          own.set(channel)
          if (cut)
            for (let i = Math.max(0, frames - fade - from); i < own.length; i++)
              own[i] = ((own[i] as number) * (frames - from - i)) / fade
          return own
        }),
      }
    },
  }
}
