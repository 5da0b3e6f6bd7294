import { downmixInto } from '../audio/downmix'
import type { SoundSource } from '../audio/soundSource'
import type { Task } from '../task'
import type { Delivery } from './delivery'
import { type Levelled, levelledReader, levelTask } from './levelling'

const BLOCK = 1 << 14

interface Ends {
  readonly header: Uint8Array<ArrayBuffer>
  readonly footer: Uint8Array<ArrayBuffer>
}

/** Takes a sound block by block and makes a file of it. */
export interface SoundWriter {
  /** bytes that stand before all that `encode` gives */
  readonly headerBytes: number
  /** The next bytes of the file. Shape: `block[c][0…frames)`. */
  encode(block: readonly Float32Array[], frames: number): Uint8Array<ArrayBuffer>
  /** What stands before and behind. It comes later where an encoder works beside. */
  finish(): Ends | Promise<Ends>
  /** Where an encoder works beside: what is to be waited for before it is given more. */
  rest?(): Promise<void> | undefined
  /** Let go of the encoder, finished or not; once. */
  close?(): void
  /** samples that had to be limited so far */
  readonly clippedSamples: number
}

/** A sound's channels as one: the mean of its two sides. */
export function inMono(source: SoundSource): SoundSource {
  if (source.channelCount === 1) return source
  const { levels: _, kin: __, ...rest } = source
  return {
    ...rest,
    channelCount: 1,
    part(from, to) {
      const { sampleRate, channels } = source.part(from, to)
      const [left, right] = [new Float32Array(to - from), new Float32Array(to - from)]
      downmixInto(left, right, channels)
      return { sampleRate, channels: [left.map((value, i) => (value + (right[i] as number)) / 2)] }
    },
  }
}

/** The sound that goes into a file: as many channels as are wanted. */
export const channelsFor = (source: SoundSource, { mono }: Pick<Delivery, 'mono'>) => (mono ? inMono(source) : source)

export interface Delivered {
  readonly level: Levelled | undefined
  readonly clippedSamples: number
}

/**
 * A finished result, through its level into a writer, which is to be finished then.
 * @param write  is given the bytes of all samples, in order.
 */
export function* deliverTask(
  source: SoundSource,
  { level }: Pick<Delivery, 'level'>,
  writer: SoundWriter,
  write: (bytes: Uint8Array<ArrayBuffer>) => void,
): Task<Pick<Delivered, 'level'>> {
  const { frames } = source
  const found = level.kind === 'as-is' ? undefined : yield* half(levelTask(source, level))
  const read = levelledReader(source, found ?? { gain: 1 })
  for (let at = 0; at < frames; at += BLOCK) {
    const end = Math.min(frames, at + BLOCK)
    write(writer.encode(read(at, end), end - at))
    yield found ? { doneFrames: frames + end, totalFrames: 2 * frames } : { doneFrames: end, totalFrames: frames }
  }
  return { level: found }
}

/** The progress of what is the first half of the work; it never falls. */
function* half<Result>(task: Task<Result>): Task<Result> {
  let most = 0
  for (let step = task.next(); ; step = task.next()) {
    if (step.done) return step.value
    const { doneFrames, totalFrames } = step.value
    most = Math.max(most, doneFrames / Math.max(1, totalFrames) / 2)
    yield { doneFrames: most, totalFrames: 1 }
  }
}
