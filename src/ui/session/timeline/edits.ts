import {
  addTempo,
  BPM_RANGE,
  cutTempo,
  drawTempo,
  flattenTempo,
  limitTempo,
  multiplyTempo,
  rampTempo,
  smoothTempo,
  type TempoEvent,
  type TempoLine,
} from '../../../core'
import {
  changeSet,
  isUntuned,
  LEAST_BEATS,
  type Section,
  type Session,
  type SetChange,
  type TempoLineEvent,
  type TimelinePart,
} from '../../../session'
import { edit, followSession } from '../edits'
import { store } from '../state/store'

/** All that can be changed on the timeline. Each call is one step of undo, or joins the step of its gesture. */

const newId = () => crypto.randomUUID()

function editParts(ids: readonly string[], label: string, recipe: (part: TimelinePart) => void, gesture?: string) {
  edit(
    label,
    ({ parts }) => {
      for (const part of parts) if (ids.includes(part.id)) recipe(part)
    },
    gesture,
  )
}

/** Where a part is laid: on a row that is there, or on a new one of a name. */
export type OnRow = { readonly row: string } | { readonly newRow: string }

/** @returns the id of the part that was laid. */
export function layPart(
  sourceId: string,
  at: OnRow,
  part: Partial<TimelinePart> & { readonly startBeat: number },
): string {
  const id = newId()
  edit('Lay a part', (session) => {
    const row = 'row' in at ? at.row : newId()
    if ('newRow' in at) session.rows.push({ id: row, name: at.newRow, gainDb: 0, muted: false, solo: false })
    session.parts.push({
      lock: 'bars',
      offset: 0,
      feel: 1,
      repeat: false,
      gainDb: 0,
      fadeIn: 0,
      fadeOut: 0,
      ...part,
      startBeat: Math.max(0, part.startBeat),
      id,
      source: sourceId,
      row,
    })
    dropEmptyRows(session, row)
  })
  return id
}

/** Rows on which nothing lies any more, and that nobody named or set, are gone. */
function dropEmptyRows(session: Session, keep?: string) {
  session.rows = session.rows.filter(
    ({ id, gainDb, muted, solo }) =>
      id === keep || gainDb !== 0 || muted || solo || session.parts.some(({ row }) => row === id),
  )
}

/** Put parts at beats, and on rows where they are said. */
export function placeParts(
  places: ReadonlyMap<string, { readonly startBeat: number; readonly row?: string }>,
  gesture?: string,
) {
  edit(
    'Move',
    (session) => {
      for (const part of session.parts) {
        const place = places.get(part.id)
        if (!place) continue
        part.startBeat = Math.max(0, place.startBeat)
        if (place.row !== undefined) part.row = place.row
      }
    },
    gesture,
  )
}

export const setPart = (ids: readonly string[], label: string, change: Partial<TimelinePart>, gesture?: string) =>
  editParts(
    ids,
    label,
    (part) => {
      for (const [name, value] of Object.entries(change)) {
        if (value === undefined) delete part[name as keyof TimelinePart]
        else Object.assign(part, { [name]: value })
      }
    },
    gesture,
  )

export const setLength = (id: string, beats: number, gesture?: string) =>
  editParts(
    [id],
    'Length',
    (part) => {
      part.beats = Math.max(LEAST_BEATS, beats)
    },
    gesture,
  )

/** The left edge of a part goes elsewhere, and what is heard stays where it was. */
export const trimStart = (id: string, startBeat: number, beats: number, offset: number, gesture?: string) =>
  editParts(
    [id],
    'Trim',
    (part) => {
      part.startBeat = Math.max(0, startBeat)
      part.beats = Math.max(LEAST_BEATS, beats)
      part.offset = offset
    },
    gesture,
  )

/** @returns the ids of the copies, in the order of the parts. */
export function copyParts(ids: readonly string[], byBeats: number): string[] {
  const copies: string[] = []
  edit('Copy', (session) => {
    const wanted = session.parts.filter(({ id }) => ids.includes(id))
    for (const part of wanted) {
      const id = newId()
      copies.push(id)
      session.parts.push({ ...part, id, startBeat: Math.max(0, part.startBeat + byBeats) })
    }
  })
  return copies
}

export function removeParts(ids: readonly string[]) {
  edit(ids.length === 1 ? 'Remove a part' : `Remove ${ids.length} parts`, (session) => {
    session.parts = session.parts.filter(({ id }) => !ids.includes(id))
    dropEmptyRows(session)
  })
}

/**
 * A part falls in two at a beat. `offset` is what of its source the second one begins with.
 * @returns the id of the second part.
 */
export function splitPart(id: string, beat: number, end: number, offset: number): string {
  const second = newId()
  edit('Split', (session) => {
    const part = session.parts.find((own) => own.id === id)
    if (!part || beat - part.startBeat < LEAST_BEATS || end - beat < LEAST_BEATS) return
    session.parts.push({ ...part, id: second, startBeat: beat, beats: end - beat, offset, fadeIn: 0 })
    part.beats = beat - part.startBeat
    part.fadeOut = 0
  })
  return second
}

export const setRow = (id: string, label: string, change: Partial<Session['rows'][number]>, gesture?: string) =>
  edit(
    label,
    ({ rows }) => {
      const row = rows.find((own) => own.id === id)
      if (row) Object.assign(row, change)
    },
    gesture,
  )

export const setClickLevel = (gainDb: number, gesture?: string) =>
  edit(
    'Click level',
    ({ click }) => {
      click.gainDb = gainDb
    },
    gesture,
  )

export const setClickInMix = (inMix: boolean) =>
  edit('Click in the mix', ({ click }) => {
    click.inMix = inMix
  })

/** The tempo line as it is kept: one that nobody drew is steady. */
const lineOf = ({ tempoLine, bpm }: Session): TempoLine => (tempoLine.length > 0 ? tempoLine : [{ beat: 0, bpm }])

const kept = (line: TempoLine): TempoLineEvent[] =>
  line.map(({ beat, bpm, curve = 'step' }) => ({
    beat: Math.max(0, beat),
    bpm: Math.min(BPM_RANGE.max, Math.max(BPM_RANGE.min, bpm)),
    curve,
  }))

/** The tempo line becomes what `next` makes of it. What makes no line is let be. */
function editLine(label: string, next: (line: TempoLine) => TempoLine, gesture?: string) {
  edit(
    label,
    (session) => {
      const line = kept(next(lineOf(session)))
      if (line.length > 0) session.tempoLine = line
    },
    gesture,
  )
}

/** Another tempo from the event on that a beat lies behind. */
export const setTempoAt = (beat: number, bpm: number, gesture?: string) =>
  editLine(
    'Tempo',
    (line) => {
      const at = Math.max(
        0,
        line.findLastIndex((event) => event.beat <= beat + 1e-9),
      )
      return line.map((event, n) => (n === at ? { ...event, bpm } : event))
    },
    gesture,
  )

export const addTempoPoint = (beat: number) => editLine('Add a tempo', (line) => cutTempo(line, beat))

export const moveTempoPoint = (index: number, to: Pick<TempoEvent, 'beat' | 'bpm'>, gesture?: string) =>
  editLine(
    'Tempo',
    (line) => {
      const [before, after] = [line[index - 1], line[index + 1]]
      const beat = index === 0 ? (line[0] as TempoEvent).beat : between(to.beat, before?.beat, after?.beat)
      return line.map((event, n) => (n === index ? { ...event, beat, bpm: to.bpm } : event))
    },
    gesture,
  )

const between = (beat: number, after: number | undefined, before: number | undefined) =>
  Math.max((after ?? -1) + LEAST_BEATS, Math.min((before ?? Number.POSITIVE_INFINITY) - LEAST_BEATS, beat))

export const removeTempoPoint = (index: number) =>
  editLine('Remove a tempo', (line) => (line.length > 1 ? line.filter((_, n) => n !== index) : line))

export const setTempoCurve = (index: number, curve: TempoLineEvent['curve']) =>
  editLine('Tempo curve', (line) => line.map((event, n) => (n === index ? { ...event, curve } : event)))

/** Beats of the line that a change is about; all of it without. */
type Within = { readonly from?: number; readonly to?: number }

const inRange = (bpm: number) => Math.min(BPM_RANGE.max, Math.max(BPM_RANGE.min, bpm))

/** As `addTempo`, kept within what a tempo can be. */
export const shiftTempo = (bpm: number, within?: Within, gesture?: string) =>
  editLine(
    bpm > 0 ? `Faster by ${bpm} BPM` : `Slower by ${-bpm} BPM`,
    (line) => {
      const room = line.every((event) => inRange(event.bpm + bpm) === event.bpm + bpm)
      return room ? addTempo(line, bpm, within) : line
    },
    gesture,
  )

export const multiplyTempoLine = (percent: number, within?: Within, gesture?: string) =>
  editLine(
    `Tempo × ${percent} %`,
    (line) => {
      const room = line.every((event) => inRange((event.bpm * percent) / 100) === (event.bpm * percent) / 100)
      return room ? multiplyTempo(line, percent / 100, within) : line
    },
    gesture,
  )

export const limitTempoTo = (least: number, most: number) =>
  editLine(`Limit to ${least} to ${most} BPM`, (line) => limitTempo(line, Math.min(least, most), Math.max(least, most)))

export const flattenTempoLine = (bpm?: number) => editLine('One tempo', (line) => flattenTempo(line, bpm))

export const smoothTempoLine = (beats: number) =>
  editLine('Smooth the tempo', (line) => (line.length > 1 ? smoothTempo(line, beats) : line))

export const rampTempoTo = (from: number, to: number, bpm: number, curve: 'linear' | 'log') =>
  editLine('Ramp', (line) => rampTempo(line, { from, to, bpm, curve }))

/** The whole set at another tempo, in another key: one step. What follows the session goes along. */
export function changeWholeSet(by: SetChange) {
  edit('Change the whole set', (session) => {
    changeSet(session, by, (source) => isUntuned(source, store.getState().knowledge[source.id]))
    followSession(session)
  })
}

/** What was drawn takes the place of the line between its first beat and its last. */
export const drawTempoLine = (drawn: readonly TempoEvent[], gesture?: string) =>
  editLine(
    'Draw the tempo',
    (line) => {
      const rising = drawn.filter((point, n) => n === 0 || point.beat > (drawn[n - 1] as TempoEvent).beat)
      const [first, last] = [rising[0], rising.at(-1)]
      if (!first || !last || rising.length < 2) return line
      const cut = cutTempo(cutTempo(line, first.beat), last.beat)
      const own = drawTempo(rising)
      const behind = cut.filter(({ beat }) => beat >= last.beat)
      const [joint, ...rest] = behind
      return [
        ...cut.filter(({ beat }) => beat < first.beat),
        ...own.slice(0, -1),
        // the drawn line ends where it ended, and what was there goes on
        { beat: last.beat, bpm: last.bpm, curve: joint?.curve ?? 'step' },
        ...rest,
      ]
    },
    gesture,
  )

/** The tempo of a performance from a beat on, beat by beat, in place of what the line had there. */
export const takeTempo = (at: number, played: TempoLine, gesture?: string) =>
  editLine(
    'Take a tempo',
    (line) => {
      const end = at + ((played.at(-1)?.beat ?? 0) + 1)
      const behind = cutTempo(line, end).filter(({ beat }) => beat >= end)
      const before = line.filter(({ beat }) => beat < at)
      return [...before, ...played.map(({ beat, bpm }) => ({ beat: beat + at, bpm })), ...behind]
    },
    gesture,
  )

export function addSection(bar: number, bars: number): string {
  const id = newId()
  edit('Add a section', ({ sections }) => {
    sections.push({ id, name: `Section ${sections.length + 1}`, bar, bars })
  })
  return id
}

export const setSection = (id: string, label: string, change: Partial<Section>, gesture?: string) =>
  edit(
    label,
    ({ sections }) => {
      const section = sections.find((own) => own.id === id)
      if (!section) return
      for (const [name, value] of Object.entries(change)) {
        if (value === undefined) delete section[name as keyof Section]
        else Object.assign(section, { [name]: value })
      }
    },
    gesture,
  )

export const removeSection = (id: string) =>
  edit('Remove a section', (session) => {
    session.sections = session.sections.filter((own) => own.id !== id)
  })
