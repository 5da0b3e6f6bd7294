import { meanBpm, type OwnBeats } from '../timeline/ownBeats'
import type { Hit } from '../timing/hits'
import { STEADY_PERCENT } from './loop'
import { SURE_FROM, type Tempo } from './tempo'

/** The beats that a grid is laid over. */
export interface GridBeats {
  /** as they were played: by them hits find their steps */
  readonly own: OwnBeats
  /** where they should lie: the same, or a steady row of them where the playing was free */
  readonly onto: OwnBeats
  readonly bpm: number
}

export interface SaidOfTempo {
  readonly bpm?: number | undefined
  /** seconds */
  readonly firstBeat?: number | undefined
}

/** a first beat found so near to the start of a file is meant to lie on it: loops are cut on the beat */
const ON_THE_START_SECONDS = 0.03
/** tempi that differ by less than this ratio are the same one */
const SAME_TEMPO = 0.012
/** a tempo that is said and one that was found may differ so much where the playing was free */
const FREE_TEMPO = 0.06
const PARTS = 4

/**
 * The beats to lay a grid over, from what was found out and what was said. A steady tempo that is said holds exactly;
 * where its first beat lies is found, unless that is said too.
 * @param hits  tell where the first beat lies when what was found does not.
 * @returns undefined where no tempo is known.
 */
export function gridBeats(tempo: Tempo, hits: readonly Hit[], said: SaidOfTempo): GridBeats | undefined {
  const { beats, firstBar, drift } = tempo
  const found = tempo.confidence >= SURE_FROM && tempo.bpm !== undefined && beats.length > 1 ? tempo.bpm : undefined
  const bpm = said.bpm ?? found
  if (bpm === undefined) return undefined
  const isNear = (play: number) => found !== undefined && Math.abs(bpm / found - 1) < play
  const own = beats.slice(firstBar)
  if (said.firstBeat === undefined && drift.percent > STEADY_PERCENT && isNear(FREE_TEMPO) && own.length > 1) {
    return ontoSteady(own, said.bpm)
  }
  const firstBeat = said.firstBeat ?? onTheStart(isNear(SAME_TEMPO) ? (own[0] as number) : likelyFirst(hits, bpm), bpm)
  const row = { bpm, firstBeat }
  return { own: row, onto: row, bpm }
}

/**
 * Beats that were played freely, and the steady row that they are brought onto: at their mean tempo where none is
 * said.
 */
export function ontoSteady(seconds: readonly number[], bpm = meanBpm(seconds)): GridBeats {
  return { own: { seconds }, onto: { bpm, firstBeat: seconds[0] as number }, bpm }
}

/** A first beat, or the start of the file where that is as good as one. */
function onTheStart(first: number, bpm: number): number {
  const beat = 60 / bpm
  const off = first - beat * Math.round(first / beat)
  return Math.abs(off) < ON_THE_START_SECONDS ? first - off : first
}

/** Where a row of beats fits hits best: their mean place within a sixteenth, and the sixteenth that is struck most. */
function likelyFirst(hits: readonly Hit[], bpm: number): number {
  const part = 60 / bpm / PARTS
  let x = 0
  let y = 0
  for (const { seconds, strength } of hits) {
    x += strength * Math.cos((2 * Math.PI * seconds) / part)
    y += strength * Math.sin((2 * Math.PI * seconds) / part)
  }
  const phase = (Math.atan2(y, x) / (2 * Math.PI)) * part
  const struck = new Float64Array(PARTS)
  for (const { seconds, strength } of hits) {
    const n = Math.round((seconds - phase) / part)
    struck[((n % PARTS) + PARTS) % PARTS] = (struck[((n % PARTS) + PARTS) % PARTS] as number) + strength
  }
  return phase + part * struck.indexOf(Math.max(...struck))
}
