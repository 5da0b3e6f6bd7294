import { AppError, BPM_RANGE, PITCH_RANGE } from '../core'
import { keyMoved } from './known'
import { SESSION_BPM_RANGE, type Session, type Source } from './schema'

/** All that lies on the timeline, and the pads beside it, at another tempo or in another key. */

const short = (value: number) => Number(value.toFixed(2))

export interface SetChange {
  /** new tempo ÷ old tempo, of the line, of sections and of the session alike */
  readonly tempoRatio: number
  readonly semitones: number
}

/** The change that brings a set to a tempo where it begins. */
export const tempoRatioTo = (session: Pick<Session, 'tempoLine' | 'bpm'>, bpm: number): number =>
  bpm / (session.tempoLine[0]?.bpm ?? session.bpm)

/**
 * Change a whole set; ramps keep their shape, and what parts and pads are apart stays.
 * @param staysAt  which sources keep their pitch: untuned ones
 * @throws {AppError} `set/tempo`, `set/pitch` where something would leave its range; nothing is changed then
 */
export function changeSet(session: Session, change: SetChange, staysAt: (source: Source) => boolean) {
  const { tempoRatio, semitones } = change
  const sourceOf = new Map(session.sources.map((source) => [source.id, source]))
  const tempi = [...session.tempoLine, ...session.sections].flatMap(({ bpm }) => bpm ?? [])
  const holdTempo = (bpm: number, { min, max }: { readonly min: number; readonly max: number }) => {
    const next = bpm * tempoRatio
    if (!(next >= min && next <= max))
      throw new AppError('set/tempo', { was: short(bpm), wanted: short(next), least: min, most: max })
  }
  holdTempo(session.bpm, SESSION_BPM_RANGE)
  for (const bpm of tempi) holdTempo(bpm, BPM_RANGE)
  const moves = (id: string) => {
    const source = sourceOf.get(id)
    return semitones !== 0 && source !== undefined && !staysAt(source) ? source : undefined
  }
  const moved = (was: number, name: string) => {
    const next = was + semitones
    if (!(next >= PITCH_RANGE.min && next <= PITCH_RANGE.max))
      throw new AppError('set/pitch', { name, wanted: short(next), least: PITCH_RANGE.min, most: PITCH_RANGE.max })
    return next
  }
  const parts = session.parts.map((part) => {
    const source = moves(part.source)
    return source && moved(part.semitones ?? source.target.pitchSemitones, source.name)
  })
  const key = session.key && Number.isInteger(semitones) ? keyMoved(session.key, semitones) : undefined
  // a source that follows the key takes its pads along, where the key moves
  const picks = session.picks.map(({ source: id, semitones: own, name }) => {
    const source = moves(id)
    return source && !(source.follows.key && key) ? moved(own, name) : undefined
  })

  session.bpm *= tempoRatio
  for (const event of session.tempoLine) event.bpm *= tempoRatio
  for (const section of session.sections) if (section.bpm !== undefined) section.bpm *= tempoRatio
  for (const [n, part] of session.parts.entries()) if (parts[n] !== undefined) part.semitones = parts[n]
  for (const [n, pick] of session.picks.entries()) if (picks[n] !== undefined) pick.semitones = picks[n]
  if (key) session.key = key
}
