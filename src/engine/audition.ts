import {
  type Analysis,
  openRendering,
  type Recipe,
  ratioToSemitones,
  type SoundSource,
  silence,
  sourceVoice,
  type Voice,
} from '../core'
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

/** What to ask of a method so that a sound of another rate, stretched, comes out right at the output's rate. */
export function auditionRecipe(order: AuditionOrder, outputRate: number): Recipe | undefined {
  const ratio = outputRate / order.sound.sampleRate
  if (ratio === 1 && order.stretch === 1) return undefined
  const base = { version: 1, formants: 'move', settings: {}, seed: 1 } as const
  // a sound at its own speed is only read at another rate: what tape does
  if (order.stretch === 1) return { ...base, methodId: 'varispeed', stretch: ratio, pitchSemitones: 0 }
  return {
    ...base,
    methodId: order.methodId,
    stretch: order.stretch * ratio,
    pitchSemitones: -ratioToSemitones(ratio) || 0,
  }
}

/** Reads an audition in stereo at the output's rate; any frame may be asked for, silence lies around it. */
export function openAudition(order: AuditionOrder, outputRate: number) {
  const recipe = auditionRecipe(order, outputRate)
  const source = retimed(openSound(order.sound), outputRate)
  let voice: Voice
  let { frames } = source
  if (recipe) {
    const scale = outputRate / order.sound.sampleRate
    // what is known in frames holds as it is: the frames are the same ones, only read as another rate's
    const rendering = openRendering(source, recipe, scale === 1 ? order.analysis : withoutPitch(order.analysis))
    voice = rendering.voice
    frames = rendering.map.outputFrames
  } else voice = sourceVoice(source)
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

/** The same frames, said to be of another rate. */
const retimed = (source: SoundSource, sampleRate: number): SoundSource => ({
  ...source,
  sampleRate,
  part: (from, to) => ({ ...source.part(from, to), sampleRate }),
})

const withoutPitch = ({ attacks }: Analysis): Analysis => (attacks ? { attacks } : {})

export type Audition = ReturnType<typeof openAudition>
