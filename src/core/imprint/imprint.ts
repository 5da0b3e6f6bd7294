import { type AudioBlock, type Channels, silence } from '../audio/block'
import { overlapAddVoice, type Pulled } from '../dsp/overlapAdd'
import { AppError } from '../errors'
import { framesAtRate } from '../render/atRate'
import type { Task } from '../task'
import { byBands } from './byBands'
import { byColumns } from './byColumns'
import { byWhole } from './byWhole'
import { IMPRINT_BANDS, IMPRINT_SMOOTHING, type Imprint, MOST_WHOLE_SECONDS } from './order'
import { heldTo, type Side } from './side'

/** @throws {AppError} `recipe/range`; `imprint/long` */
export function checkImprint(
  { by, amountPercent, bands, smoothingMs }: Imprint,
  rhythm: Pick<Side, 'frames' | 'sampleRate'>,
) {
  const within = (name: string, value: number, range: { min: number; max: number }) => {
    if (!(value >= range.min && value <= range.max))
      throw new AppError('recipe/range', { name, value: String(value), ...range })
  }
  within('amount', amountPercent, { min: 0, max: 100 })
  within('number of bands', bands, IMPRINT_BANDS)
  within('smoothing', smoothingMs, IMPRINT_SMOOTHING)
  if (by === 'whole' && rhythm.frames > MOST_WHOLE_SECONDS * rhythm.sampleRate)
    throw new AppError('imprint/long', { most: MOST_WHOLE_SECONDS })
}

/** How long the result is: as the body; convolved with all of the other, as both together. */
export function imprintFrames(body: Side, rhythm: Side, { by, amountPercent }: Imprint): number {
  if (by !== 'whole' || amountPercent === 0) return body.frames
  return body.frames + framesAtRate(rhythm.frames, rhythm.sampleRate, body.sampleRate) - 1
}

const BLOCK_FRAMES = 4096
/** peaks that the body has not are held below this */
const CEILING = 0.89

/**
 * A body shaped by a rhythm, as loud as the body where its peaks allow that, block by block in order. A rhythm that is
 * shorter goes round until the body ends. It is made twice: once to hear how loud it comes out.
 *
 * Source  by bands: Dudley 1939, "The Vocoder", the body's own course in each band evened out before; by columns: the
 *         product of short spectra, as Roads 1996, "The Computer Music Tutorial", on fast convolution.
 * @throws {AppError} as `checkImprint`.
 */
export function* imprintTask(
  body: Side,
  given: Side,
  imprint: Imprint,
  sink: (block: Channels, frames: number) => void,
): Task<void> {
  checkImprint(imprint, given)
  const rhythm = heldTo(body, given)
  const total = imprintFrames(body, given, imprint)
  const share = imprint.amountPercent / 100
  const { channelCount } = body
  if (share === 0) {
    yield* run(body.voice, channelCount, total, sink, [0, 1])
    return
  }
  const open = () => voiceOf(body, rhythm, imprint)
  const [own, made] = [meter(), meter()]
  yield* run(body.voice, channelCount, body.frames, own.add, [0, 0.1])
  yield* run(open(), channelCount, total, made.add, [0.1, 0.55])
  const heard = Math.max(1, Math.min(total, body.frames))
  const asLoud = made.energy > 0 ? Math.sqrt(own.energy / Math.max(1, body.frames) / (made.energy / heard)) : 0
  // what comes and goes has peaks that the body has not: they stay below full scale
  const level = Math.min(asLoud, Math.max(CEILING, own.peak) / Math.max(1e-12, made.peak))
  // by bands the amount lies in the gains themselves; else both are mixed
  const dry = imprint.by === 'bands' ? undefined : body.voice
  yield* run(mixed(open(), level, dry, share, channelCount), channelCount, total, sink, [0.55, 1])
}

function meter() {
  let [energy, peak] = [0, 0]
  return {
    get energy() {
      return energy
    },
    get peak() {
      return peak
    },
    add(block: Channels) {
      for (const channel of block)
        for (const value of channel) {
          energy += value * value
          peak = Math.max(peak, Math.abs(value))
        }
    },
  }
}

/** A voice at a level, beside some of the sound that it was made of. */
function mixed(wet: Pulled, level: number, dry: Pulled | undefined, share: number, channelCount: number): Pulled {
  const own = silence(channelCount, BLOCK_FRAMES)
  return {
    read(from, out) {
      wet.read(from, out)
      const count = out[0]?.length ?? 0
      const part = own.map((channel) => channel.subarray(0, count))
      dry?.read(from, part)
      out.forEach((channel, c) => {
        const beside = part[c] as Float32Array
        for (let i = 0; i < count; i++) {
          const value = level * (channel[i] as number)
          channel[i] = dry ? (1 - share) * (beside[i] as number) + share * value : value
        }
      })
    },
  }
}

/** what progress counts in */
const STEPS = 1000

function* run(
  voice: Pulled,
  channelCount: number,
  frames: number,
  sink: (block: Channels, frames: number) => void,
  [from, to]: readonly [number, number],
): Task<void> {
  const block = silence(channelCount, BLOCK_FRAMES)
  for (let at = 0; at < frames; at += BLOCK_FRAMES) {
    const count = Math.min(BLOCK_FRAMES, frames - at)
    const out = block.map((channel) => channel.subarray(0, count))
    voice.read(at, out)
    sink(out, count)
    yield { doneFrames: Math.round(STEPS * (from + ((to - from) * (at + count)) / frames)), totalFrames: STEPS }
  }
}

function voiceOf(body: Side, rhythm: Side, imprint: Imprint): Pulled {
  if (imprint.by === 'bands') return overlapAddVoice(byBands(body, rhythm, imprint))
  if (imprint.by === 'columns') return overlapAddVoice(byColumns(body, rhythm, imprint))
  return byWhole(body, rhythm)
}

/** A result in memory, for short sounds. */
export function imprinted(body: Side, rhythm: Side, imprint: Imprint): AudioBlock {
  const total = imprintFrames(body, rhythm, imprint)
  const channels = silence(body.channelCount, total)
  let at = 0
  const task = imprintTask(body, rhythm, imprint, (block, frames) => {
    block.forEach((channel, c) => {
      ;(channels[c] as Float32Array).set(channel.subarray(0, frames), at)
    })
    at += frames
  })
  for (let step = task.next(); !step.done; step = task.next());
  return { sampleRate: body.sampleRate, channels }
}
