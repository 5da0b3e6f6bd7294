import { type BlindResult, REFERENCE, type Source } from '../../../session'
import { edit } from '../edits'
import { hearLane, playback, togglePlay } from '../hear/listening'
import { type BlindRun, store } from '../state/store'
import { resultOf } from './blindResult'

/** Comparing without names: which lane is which is only told at the end. */

export type BlindMode = BlindResult['mode']

const { getState, setState } = store

/** Whole numbers that nobody can foresee: a blind test must not be the same twice. */
function draw(below: number): number {
  return (crypto.getRandomValues(new Uint32Array(1))[0] as number) % below
}

function shuffled<T>(values: readonly T[]): T[] {
  const out = [...values]
  for (let i = out.length - 1; i > 0; i--) {
    const j = draw(i + 1)
    ;[out[i], out[j]] = [out[j] as T, out[i] as T]
  }
  return out
}

/** The first two stay A and B for all of an ABX; in each round of AB the two change places by chance. */
function placesOf(mode: BlindMode, lanes: readonly string[]): string[] {
  if (mode === 'ABX') return [...lanes, lanes[draw(2)] as string]
  return shuffled(lanes)
}

export function startBlind(source: Source, mode: BlindMode, lanes: readonly string[], rounds: number) {
  const hidden = shuffled(lanes)
  const run: BlindRun = {
    sourceId: source.id,
    mode,
    lanes: hidden,
    rounds: mode === 'rank' ? 1 : rounds,
    places: placesOf(mode, hidden),
    heard: 0,
    sounded: [],
    answers: [],
    grades: hidden.map(() => 50),
  }
  setState({ blind: run })
  soundPlace(run, 0)
}

/** Let a hidden place sound, from rest too, and note that it did. */
function soundPlace(run: BlindRun, place: number) {
  const sounded = run.sounded.includes(place) ? run.sounded : [...run.sounded, place]
  setState({ blind: { ...run, heard: place, sounded } })
  hearPlaceOf(run, place)
  if (playback.playing !== 'lane') togglePlay()
}

/** Whether every hidden place of the round has been heard. */
export const mayVote = ({ places, sounded }: BlindRun) => sounded.length >= places.length

export function stopBlind() {
  setState({ blind: undefined })
}

/** Hear a hidden place, by its number from 0. */
export function hearHidden(place: number) {
  const { blind } = getState()
  if (!blind || place < 0 || place >= blind.places.length) return
  soundPlace(blind, place)
}

function hearPlaceOf(run: BlindRun, place: number) {
  const source = getState().history.present.sources.find(({ id }) => id === run.sourceId)
  const lane = run.places[place]
  if (source) hearLane(lane === REFERENCE ? 0 : 1 + source.variants.findIndex(({ id }) => id === lane))
}

export function gradeHidden(place: number, grade: number) {
  const { blind } = getState()
  if (blind) setState({ blind: { ...blind, grades: blind.grades.map((old, i) => (i === place ? grade : old)) } })
}

/** Vote by keys: AB for the place that is heard, ABX by the letter that X is. While ranking, grade what is heard. */
export function voteByKey(key: string) {
  const { blind } = getState()
  if (!blind) return
  if (blind.mode === 'rank') {
    const step = key === 'ArrowUp' ? 5 : key === 'ArrowDown' ? -5 : 0
    const grade = (blind.grades[blind.heard] ?? 50) + step
    if (step !== 0) gradeHidden(blind.heard, Math.max(0, Math.min(100, grade)))
    else if (key === 'v') finishRanking()
  } else if (blind.mode === 'AB' && key === 'v') answerBlind(blind.heard as 0 | 1)
  else if (blind.mode === 'ABX' && (key === 'a' || key === 'b')) answerBlind(key === 'a' ? 0 : 1)
}

/** AB: the place that is preferred. ABX: whether X is the first or the second place. */
export function answerBlind(place: 0 | 1) {
  const { blind } = getState()
  if (!blind || blind.mode === 'rank' || !mayVote(blind)) return
  const answer = blind.mode === 'AB' ? (blind.places[place] as string) : blind.places[2] === blind.places[place]
  const answers = [...blind.answers, answer]
  if (answers.length >= blind.rounds) {
    finish({ ...blind, answers })
    return
  }
  soundPlace({ ...blind, answers, places: placesOf(blind.mode, blind.lanes), heard: 0, sounded: [] }, 0)
}

export function finishRanking() {
  const { blind } = getState()
  if (blind?.mode === 'rank' && mayVote(blind)) finish(blind)
}

function finish(run: BlindRun) {
  setState({ blind: undefined })
  edit('Blind comparison', (session) => {
    const source = session.sources.find(({ id }) => id === run.sourceId)
    if (source) source.blind.push(resultOf(run, source, new Date().toISOString()))
  })
}
