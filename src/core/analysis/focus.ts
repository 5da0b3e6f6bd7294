import { type SoundSource, soundSource } from '../audio/soundSource'
import { decimateTask } from '../dsp/decimate'
import { lnInPlace } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { columnReader } from '../kernels/columns'
import { finish, type Task } from '../task'
import { mixOf } from './mix'

/** The lengths of window that a sound is looked at through, ms, rising by octaves. */
export const FOCUS_MS = [21, 43, 85, 170, 340] as const

/**
 * How spread out a sound's energy is over its spectra, through windows of several lengths: entropies in nats, as
 * `FOCUS_MS`. The lower, the clearer a window tells its partials and moments apart. Only their differences mean anything.
 */
export type Focus = readonly number[]

const RATE = 12_000
const OVERLAP = 4
/** what is looked at through all windows at once, so many places of it at most, spread evenly */
const REGION_SECONDS = 0.34
const MOST_REGIONS = 48
/** far below whatever is heard: so that a logarithm can be taken */
const NOTHING = 1e-30

/**
 * Look at a sound through windows of several lengths. Every region counts by the root of its energy.
 * Source  Jones & Parks 1990, "A high resolution data-adaptive time-frequency representation"; Liuni, Röbel et al. 2013,
 *         "Automatic adaptation of the time-frequency resolution for sound analysis and re-synthesis", for the entropy.
 */
export function* focusOf(source: SoundSource): Task<Focus> {
  const { sampleRate, frames } = source
  const region = Math.round(REGION_SECONDS * sampleRate)
  const whole = Math.max(1, Math.floor(frames / region))
  const count = Math.min(MOST_REGIONS, whole)
  const around = Math.round((((FOCUS_MS.at(-1) as number) / 1000) * sampleRate) / 2)
  const factor = Math.min(8, Math.max(1, Math.round(sampleRate / RATE)))
  const rate = sampleRate / factor
  const looks = FOCUS_MS.map((ms) => entropyThrough(nearestPowerOfTwo((ms / 1000) * rate, 16)))
  const sums = FOCUS_MS.map(() => 0)
  let weights = 0
  for (let n = 0; n < count; n++) {
    const at = Math.floor((n * whole) / count) * region
    const from = Math.max(0, at - around)
    const to = Math.min(frames, at + region + around)
    const samples = mixOf(source.part(from, to))
    const low = finish(decimateTask(soundSource({ sampleRate, channels: [samples] }), factor))
    const [start, end] = [(at - from) / factor, (Math.min(frames, at + region) - from) / factor]
    const found = looks.map((look) => look(low, start, end))
    const weight = Math.sqrt(found[0]?.energy ?? 0)
    weights += weight
    for (const [i, { entropy }] of found.entries()) sums[i] = (sums[i] as number) + weight * entropy
    yield { doneFrames: Math.min(frames, at + region), totalFrames: frames }
  }
  return sums.map((sum) => (weights > 0 ? sum / weights : 0))
}

/** Measures a region through a window of one size, by columns a quarter of it apart. */
function entropyThrough(size: number) {
  const hop = size / OVERLAP
  const columns = columnReader(size)
  const made = () => new Float32Array(size / 2 + 1)
  const pair = { left: made(), right: made(), crossRe: made(), crossIm: made() }
  const logs = made()
  /** Σ v and Σ v ln v, of a window that has the energy 1 */
  const add = (powers: Float32Array, sums: { energy: number; logs: number }) => {
    let energy = 0
    for (let k = 1; k < powers.length; k++) {
      const value = (powers[k] as number) / size + NOTHING
      powers[k] = value
      logs[k] = value
      energy += value
    }
    lnInPlace(logs)
    let product = 0
    for (let k = 1; k < powers.length; k++) product += (powers[k] as number) * (logs[k] as number)
    sums.energy += energy
    sums.logs += product
  }
  return (samples: Float32Array, start: number, end: number): { energy: number; entropy: number } => {
    const sums = { energy: 0, logs: 0 }
    for (let centre = start + hop / 2; centre < end; centre += 2 * hop) {
      const from = Math.round(centre - size / 2)
      columns.cross(pair, samples, from, samples, from + hop)
      add(pair.left, sums)
      if (centre + hop < end) add(pair.right, sums)
    }
    return { energy: sums.energy, entropy: sums.energy > 0 ? Math.max(0, entropyOf(sums)) : 0 }
  }
}

const single = new Float32Array(1)
/** ln of a sum, less the mean of what each part of it says */
function entropyOf({ energy, logs }: { readonly energy: number; readonly logs: number }): number {
  single[0] = energy
  lnInPlace(single)
  return (single[0] as number) - logs / energy
}
