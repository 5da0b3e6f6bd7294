import { frameCount, peakOf } from '../audio/block'
import { rankedOf } from '../dsp/median'
import type { Task } from '../task'
import type { Artefact } from './artefacts'
import { type AttackPairs, ringing } from './attackPairs'
import { type Comparison, innerOf, originOf } from './comparison'

/** a click's bend stands this far out of the usual bend around it */
const STANDS_OUT = 13
/** from here on it is noted as a jump, though nobody would hear it as a click */
const JUMPS_FROM = 6
/** a bend of this share in the source near by, and it is the source's own */
const OWN_SHARE = 0.4
const AROUND_SECONDS = 0.02
const SHORT_SECONDS = 0.0015
const APART_SECONDS = 0.01
/** the map and the source's own place may be this far apart */
const NEAR_SECONDS = 0.012
const BLOCK_SECONDS = 0.005
/** bends below this are not heard whatever the silence around them, of the source's peak */
const LEAST_BEND = 2e-3

/**
 * Jumps of the waveform that the source does not have: places where the third difference stands far out of its surroundings for
 * less than two milliseconds. Attacks, and what is as edgy in the source, do not count.
 * @returns them, and with `jumps` also the result frames of those that the source has.
 * Source  the outlier rule of Godsill & Rayner 1998, "Digital Audio Restoration", 5.2, on a fixed differentiator in place of a
 *         fitted predictor.
 */
export function* clicksOf(
  comparison: Comparison,
  { pairs }: AttackPairs,
): Task<{ clicks: Artefact; jumps: readonly number[] }> {
  const { source, result } = comparison
  const { sampleRate } = source
  const near = NEAR_SECONDS * sampleRate
  const attacks = pairs.flatMap((pair) => [pair.expected, pair.found ?? pair.expected])
  const leastBend = LEAST_BEND * peakOf(source.channels)
  const inner = innerOf(comparison)
  const jumps: number[] = []
  const found: Click[] = []
  for (let c = 0; c < result.channels.length; c++) {
    const channel = result.channels[c] as Float32Array
    const own = source.channels[c] as Float32Array
    for (const click of outstandingOf(channel, sampleRate, JUMPS_FROM, leastBend)) {
      if (click.frame < inner.start || click.frame >= inner.end) continue
      if (attacks.some((at) => Math.abs(at - click.frame) < 0.004 * sampleRate)) continue
      jumps.push(click.frame)
      if (click.outstanding < STANDS_OUT) continue
      const isOwn = (origin: number) => strongestBend(own, origin - near, origin + near) > OWN_SHARE * click.bend
      // it may be where the map has it, or behind an attack that rings on by itself
      if (isOwn(originOf(comparison, click.frame)) || ringing(pairs, click.frame, sampleRate).some(isOwn)) continue
      found.push(click)
    }
    yield {
      doneFrames: Math.round((frameCount(result) * (c + 1)) / result.channels.length),
      totalFrames: frameCount(result),
    }
  }
  found.sort((a, b) => a.frame - b.frame)
  const clicks: Click[] = []
  for (const click of found) {
    const last = clicks.at(-1)
    if (last && click.frame - last.frame < APART_SECONDS * sampleRate) {
      if (click.outstanding > last.outstanding) clicks[clicks.length - 1] = click
    } else clicks.push(click)
  }
  const artefact: Artefact = {
    id: 'clicks',
    measured: true,
    value: clicks.length,
    places: clicks
      .map(({ frame }) => ({
        sourceFrame: Math.round(originOf(comparison, frame)),
        spanFrames: 0,
        outputFrame: comparison.from + frame,
        value: 1,
      }))
      .sort((a, b) => a.sourceFrame - b.sourceFrame),
    parts: { loudestDb: clicks.reduce((most, click) => Math.max(most, 20 * Math.log10(click.outstanding)), 0) },
  }
  return { clicks: artefact, jumps: jumps.sort((a, b) => a - b) }
}

interface Click {
  readonly frame: number
  /** third difference */
  readonly bend: number
  /** times the usual bend around it */
  readonly outstanding: number
}

const bendAt = (samples: Float32Array, i: number) =>
  Math.abs((samples[i] ?? 0) - 3 * (samples[i - 1] ?? 0) + 3 * (samples[i - 2] ?? 0) - (samples[i - 3] ?? 0))

/** Frames of a sound at which it jumps as a click does, whatever the reason; of one channel. */
export const bendsOf = (samples: Float32Array, sampleRate: number): readonly number[] =>
  outstandingOf(samples, sampleRate, STANDS_OUT, LEAST_BEND * peakOf([samples])).map(({ frame }) => frame)

/** Places whose bend stands out, once it is made sure that it is over at once. */
function outstandingOf(samples: Float32Array, sampleRate: number, least: number, leastBend: number) {
  const block = Math.max(8, Math.round(BLOCK_SECONDS * sampleRate))
  const blocks = Math.ceil(samples.length / block)
  const usual = new Float64Array(blocks)
  const most = new Float64Array(blocks)
  const mostAt = new Int32Array(blocks)
  const scratch = new Float64Array(block)
  for (let b = 0; b < blocks; b++) {
    const from = b * block
    const count = Math.min(block, samples.length - from)
    let x3 = samples[from - 3] ?? 0
    let x2 = samples[from - 2] ?? 0
    let x1 = samples[from - 1] ?? 0
    for (let i = 0; i < count; i++) {
      const x0 = samples[from + i] as number
      const bend = Math.abs(x0 - 3 * x1 + 3 * x2 - x3)
      x3 = x2
      x2 = x1
      x1 = x0
      scratch[i] = bend
      if (bend > (most[b] as number)) {
        most[b] = bend
        mostAt[b] = from + i
      }
    }
    usual[b] = rankedOf(scratch, count, Math.floor(0.7 * count))
  }
  const reach = Math.max(1, Math.round(AROUND_SECONDS / BLOCK_SECONDS / 2))
  const clicks: Click[] = []
  for (let b = 0; b < blocks; b++) {
    const bend = most[b] as number
    if (bend < leastBend) continue
    let around = 0
    for (let n = Math.max(0, b - reach); n <= Math.min(blocks - 1, b + reach); n++)
      around = Math.max(around, usual[n] as number)
    const outstanding = bend / (around + leastBend / 1000)
    if (outstanding < least) continue
    const frame = mostAt[b] as number
    if (isShort(samples, frame, bend, sampleRate)) clicks.push({ frame, bend, outstanding })
  }
  return clicks
}

/** A click is over at once; the start of something new is not. */
function isShort(samples: Float32Array, frame: number, bend: number, sampleRate: number): boolean {
  const short = Math.round(SHORT_SECONDS * sampleRate)
  let behind = 0
  for (let i = frame + short; i < frame + 4 * short; i++) behind = Math.max(behind, bendAt(samples, i))
  return behind < 0.35 * bend
}

function strongestBend(samples: Float32Array, from: number, to: number): number {
  let most = 0
  const end = Math.min(samples.length, Math.round(to))
  for (let i = Math.max(0, Math.round(from)); i < end; i++) most = Math.max(most, bendAt(samples, i))
  return most
}
