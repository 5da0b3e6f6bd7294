import { type Analysis, atRate, framesAtRate, openRendering, type Recipe, silence, sourceVoice } from '../core'
import { downmixInto } from '../core/audio/downmix'
import { openSound, type Sound } from './sound'

/** A sound that is heard over, or instead of, what plays; it belongs to no session. */
export interface AuditionOrder {
  readonly sound: Sound
  /** output length ÷ source length; 1 is its own speed */
  readonly stretch: number
  readonly methodId: string
  readonly analysis: Analysis
  readonly gain: number
}

const FADE_SECONDS = 0.004

/** What to ask of a method so that a sound comes to its stretch; undefined where it is heard as it is. */
export function auditionRecipe({ stretch, methodId }: Pick<AuditionOrder, 'stretch' | 'methodId'>): Recipe | undefined {
  if (stretch === 1) return undefined
  return { version: 1, formants: 'move', settings: {}, seed: 1, methodId, stretch, pitchSemitones: 0 }
}

/** Reads an audition in stereo at the output's rate; any frame may be asked for, silence lies around it. */
export function openAudition(order: AuditionOrder, outputRate: number) {
  const recipe = auditionRecipe(order)
  const source = openSound(order.sound)
  const { channelCount, sampleRate } = source
  const rendering = recipe && openRendering(source, recipe, order.analysis)
  const voice = atRate({ voice: rendering?.voice ?? sourceVoice(source), channelCount, sampleRate }, outputRate)
  const frames = framesAtRate(rendering?.map.outputFrames ?? source.frames, sampleRate, outputRate)
  const block = silence(source.channelCount, 128)
  const fade = Math.max(1, Math.round(FADE_SECONDS * outputRate))
  return {
    frames,
    /** Frames `from…from + left.length` into both, faded at the very ends so that a cut file does not click. */
    read(from: number, left: Float32Array, right: Float32Array) {
      const count = left.length
      const out = count === 128 ? block : block.map((channel) => channel.subarray(0, count))
      const first = Math.max(0, from)
      if (first >= frames || from + count <= 0) {
        left.fill(0)
        right.fill(0)
        return
      }
      if (first === from) voice.read(from, out)
      else {
        const late = first - from
        for (const channel of out) channel.fill(0, 0, late)
        voice.read(
          0,
          out.map((channel) => channel.subarray(late)),
        )
      }
      downmixInto(left, right, out)
      for (let i = 0; i < count; i++) {
        const at = from + i
        const end = Math.min(1, Math.max(0, (frames - at) / fade))
        left[i] = order.gain * end * (left[i] as number)
        right[i] = order.gain * end * (right[i] as number)
      }
    },
  }
}

export type Audition = ReturnType<typeof openAudition>
