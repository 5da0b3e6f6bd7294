import { attackKinds, prepareAttackKinds } from '../analysis/attackKinds'
import { tonalWindow } from '../analysis/material'
import { type AudioBlock, silence } from '../audio/block'
import { overlapAddVoice, type SegmentMaker } from '../dsp/overlapAdd'
import { lowerBound } from '../dsp/search'
import { nearestPowerOfTwo } from '../dsp/units'
import { vocoderColumns } from '../kernels/vocoderColumn'
import { asOutput, asSource } from '../timeline/axes'
import { holdAttacks } from '../timeline/holdAttacks'
import type { TimeMap } from '../timeline/timeMap'
import { createAttackLevel } from './attackLevel'
import { defineMethod } from './method'
import { ownStart } from './ownStart'
import { pitchByResampling } from './pitchByResampling'
import { choice, number } from './settings'

/**
 * Short-time spectra with phases locked around every spectral peak. For each output column the source is analysed at
 * the mapped place, and a hop apart around the middle between there and where the last column looked: by what it turns
 * there, what is around a peak, from valley to valley, goes on from the last output column. It gets one rotation for
 * all channels, so that the image holds. Where the last column had nothing, the phases of the source are taken as they
 * are.
 *
 * At an attack the map runs naturally for half a window, the peaks that the attack brings take their phases from the
 * source afresh, and in columns that reach into it from before it, what it brings is held down to what was there. So
 * it starts where it starts, at its own sharpness, while partials that go on through it go on. What rings on soon lies
 * where the map has it again. At another pitch, windows that reach over an attack look past it at the pace of the
 * result, and a gain gives what it brings the decay that it has in the source. Source  Laroche &
 * Dolson 1999, "Improved phase vocoder time-scale modification of audio" (identity phase locking); Röbel
 *         2003, "A new approach to transient processing in the phase vocoder".
 */
export const vocoder = defineMethod({
  id: 'vocoder',
  label: 'Locked vocoder',
  family: 'tonal',
  use: 'Chords, pads and tonal mixes: smooth at any length, with its attacks kept.',
  needs: ['attacks', 'focus'],
  exactSeek: false,
  tiesPitchToSpeed: false,
  pitchBy: 'reading back',
  ownFormants: false,
  gainsByHold: true,
  spreadsAttacks: true,
  seeded: false,
  timesRealTime: 160,
  settings: {
    windowMs: number({
      label: 'Window',
      unit: 'ms',
      min: 10,
      max: 400,
      default: 85,
      scale: 'log',
      trades: 'Longer parts close partials; shorter keeps hits sharper.',
    }),
    overlap: choice({
      label: 'Overlap',
      options: [
        { value: '4', label: '4 ×' },
        { value: '8', label: '8 ×' },
      ],
      default: '4',
      trades: 'More overlap follows glides better and costs twice as much.',
    }),
    attacks: choice({
      label: 'Attacks',
      options: [
        { value: 'keep', label: 'Keep' },
        { value: 'melt', label: 'Melt in' },
      ],
      default: 'keep',
      trades: 'Kept ones start sharp; melted ones soften into what is around them.',
    }),
  },
  latencyFrames: (settings, sampleRate) => windowFrames(settings.windowMs, sampleRate),
  pick(analysis, sampleRate) {
    const { ms, moves } = tonalWindow(analysis, sampleRate)
    return { windowMs: ms, ...(moves && { overlap: '8' }) }
  },
  open: ({ source, map, pitch, settings, analysis }) =>
    pitchByResampling(source.channels.length, map, pitch, (inner, ratioAt) => {
      const length = windowFrames(settings.windowMs, source.sampleRate)
      const attacks = settings.attacks === 'keep' ? (analysis.attacks ?? []).map((attack) => attack.frame) : []
      return ownStart(
        source,
        overlapAddVoice(createVocoder(source, inner, attacks, length, Number(settings.overlap), { ratioAt })),
      )
    }),
  prepare(source, analysis) {
    return prepareAttackKinds(
      source,
      (analysis.attacks ?? []).map(({ frame }) => frame),
    )
  },
})

function windowFrames(windowMs: number, sampleRate: number): number {
  return nearestPowerOfTwo((windowMs / 1000) * sampleRate, 32)
}

/**
 * A column is at an attack from so much of a window before it to so much behind it. It looks at the source as far from
 * the attack as it lies in the result. One that is held down gives nothing of the attack, so none nearer may be.
 */
const AT_ATTACK = { ahead: 0.375, behind: 0.25 } as const
/** where the map does not run naturally, a column farther off would sound ahead of the attack */
const ANNOUNCED = { ahead: 0.125, behind: 0.125 } as const
/**
 * An attack owns a peak that it lifts by this much over what was there before it, in power. What is struck lifts what
 * goes on under it as well, by chance. A held note that begins again is hardly louder than the one before.
 */
const LIFTED = { struck: 3, ringing: 3, held: 2 } as const
/** and what tops that by this much is held down in columns that only reach over an attack from before */
const ANNOUNCES = 2
/** of a window behind an attack's hold: nearer, waiting to make up for the hold would draw out how the attack begins */
const MADE_UP_FROM = 1.5

export interface VocoderCare {
  /**
   * 'kept' passes attacks at their natural speed and takes phases from the source there; 'announced' only keeps what
   * they bring from sounding ahead of them
   */
  readonly care?: 'kept' | 'announced'
  /** at what ratio a frame of the result will be read back */
  readonly ratioAt?: (frame: number) => number
}

/**
 * Also how other methods stretch what is tonal in a sound: `attacks` (source frames, rising) are kept, an empty list
 * keeps none.
 */
export function createVocoder(
  source: AudioBlock,
  given: TimeMap,
  attacks: readonly number[],
  length: number,
  overlap: number,
  { care = 'kept', ratioAt = () => 1 }: VocoderCare = {},
): SegmentMaker {
  const hop = length / overlap
  const bins = length / 2
  // Σ hann² over all shifts by `hop` is 3/8 · overlap: what two windows leave is undone by it
  const scale = 1 / (0.375 * overlap)
  const columns = vocoderColumns(source.channels, length, hop)
  const attackLevel = createAttackLevel(source, length)
  const kept = care === 'kept' ? attacks : []
  const kinds = attackKinds(source, kept)
  // what is struck dies away as it does in the source, also where the result is read back at another pace
  const paces = kept.map((frame, i) => (kinds[i] === 'held' ? 1 : ratioAt(given.outputAt(asSource(frame)))))
  const paceOf = (i: number) => paces[i] ?? 1
  const map = holdAttacks(given, kept, {
    strength: 1,
    leadFrames: hop / 2,
    holdFrames: kinds.map((kind, i) => (kind === 'held' ? bins / 4 : bins * paceOf(i))),
    makesUpAfter: kinds.map((kind) => (kind === 'struck' ? undefined : MADE_UP_FROM * length)),
    naturalSpeedAt: (_, i) => 1 / paceOf(i),
  })
  const reach = care === 'kept' ? AT_ATTACK : ANNOUNCED
  const places = attacks.map((frame) => map.outputAt(asSource(frame)))
  let learnt = -1
  let previousSegment = Number.NaN
  let previousCentre = Number.NaN

  /** The attack that a segment has to mind, as its window reaches it here or there, and on which side of it it lies. */
  function attackNear(k: number, read: number): { attack: number; side: 'before' | 'at' } | undefined {
    const centre = k * hop
    const first = lowerBound(places, centre - reach.behind * length)
    for (let i = first; i < places.length; i++) {
      const ahead = (places[i] as number) - centre
      if (ahead >= bins && (attacks[i] as number) - read >= bins) return undefined
      if (ahead <= reach.ahead * length) return { attack: i, side: 'at' }
      if (ahead > 0) return { attack: i, side: 'before' }
    }
    return undefined
  }

  /** The source frame of a column at an attack: as far from the attack as in the result. */
  const besideAttack = (k: number, attack: number) => (attacks[attack] as number) + k * hop - (places[attack] as number)

  /**
   * The attack that a window reaches over from behind, where its result is read back at another pace. As long as it
   * does, it looks at the source as far from the attack as it lies in the result.
   */
  function attackUnder(k: number): number | undefined {
    const centre = k * hop
    const last = lowerBound(places, centre + 1) - 1
    const isUnder = care === 'kept' && last >= 0 && (places[last] as number) > centre - bins
    return isUnder && paceOf(last) !== 1 ? last : undefined
  }

  const isPaced = paces.some((pace) => pace !== 1)
  const column = silence(source.channels.length, isPaced ? length : 0)
  const gains = new Float64Array(isPaced ? length : 0)
  /** Add a column that reads past an attack at another pace than it is meant to. */
  function layPast(k: number, attack: number, sum: readonly Float32Array[]) {
    for (const channel of column) channel.fill(0)
    columns.lay(column, scale)
    const gainAt = attackLevel(attacks[attack] as number, paceOf(attack))
    const start = k * hop - bins - (places[attack] as number)
    for (let i = 0; i < length; i++) gains[i] = gainAt(start + i)
    column.forEach((from, c) => {
      const to = sum[c] as Float32Array
      for (let i = 0; i < length; i++) to[i] = (to[i] as number) + (gains[i] as number) * (from[i] as number)
    })
  }

  /** Learn what there is in the last window that does not yet reach into an attack. */
  function learnBefore(attack: number) {
    if (learnt === attack) return
    learnt = attack
    columns.learnBefore((attacks[attack] as number) - length)
  }

  return {
    channelCount: source.channels.length,
    hop,
    length,
    lead: -bins,
    reset() {
      previousSegment = Number.NaN
    },
    addSegment(k, sum) {
      const read = map.sourceAt(asOutput(k * hop))
      const near = attackNear(k, read)
      const at = care === 'kept' && near?.side === 'at' ? near.attack : undefined
      const past = at ?? attackUnder(k)
      const centre = Math.round(past === undefined ? read : besideAttack(k, past))
      columns.analyse(centre, previousSegment === k - 1 ? previousCentre : undefined)
      previousCentre = centre
      if (near) learnBefore(near.attack)
      // what an attack brings into a window that only reaches over it from before is held down
      if (near?.side === 'before') columns.holdDown(ANNOUNCES)
      if (previousSegment === k - 1) columns.lock(at === undefined ? 0 : LIFTED[kinds[at] ?? 'held'])
      else columns.begin()
      previousSegment = k
      if (past === undefined || paceOf(past) === 1) columns.lay(sum, scale)
      else layPast(k, past, sum)
    },
  }
}
