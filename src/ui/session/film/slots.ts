import { pausesOf } from '../../../core'
import { type PictureMark, pictureOf, type Slot, type Source, soundKey } from '../../../session'
import { edit, editSource } from '../edits'
import { playback } from '../hear/listening'
import { store } from '../state/store'
import { filmTime, shownOf } from './filmTime'

/** All that can be done to pictures: marks on them, and slots that sounds fill. Each gesture is one step. */

const { getState } = store

/** Seconds of the film that its pictures begin at: a mark lies on a picture. */
export function onPicture(film: Source, seconds: number): number {
  const { rate, seconds: all } = film.facts?.picture ?? { rate: 25, seconds: 0 }
  const last = Math.max(0, Math.round(all * rate) - 1)
  return Math.min(last, Math.max(0, Math.floor(seconds * rate + 1e-3))) / rate
}

/** Mark a picture; one that is marked already stays as it is. */
export function addMark(film: Source, seconds: number): string {
  const at = onPicture(film, seconds)
  const there = film.marks?.find((mark) => Math.abs(mark.seconds - at) < 1e-6)
  if (there) return there.id
  const id = crypto.randomUUID()
  editMarks(film, 'Mark', (marks) => [...marks, { id, name: '', seconds: at }])
  return id
}

/** Mark the picture that is seen with what is heard. @returns whether one is seen. */
export function markHere(source: Source | undefined): boolean {
  const time = source && filmTime(shownOf(getState(), source), source)
  if (time) addMark(time.film, time.secondsAt(playback.sourceFrame()))
  return time !== undefined
}

export const moveMark = (film: Source, id: string, seconds: number, gesture?: string) =>
  editMarks(
    film,
    'Move mark',
    (marks) => marks.map((mark) => (mark.id === id ? { ...mark, seconds: onPicture(film, seconds) } : mark)),
    gesture,
  )

export const renameMark = (film: Source, id: string, name: string) =>
  editMarks(film, 'Name mark', (marks) => marks.map((mark) => (mark.id === id ? { ...mark, name: name.trim() } : mark)))

/** Take a mark away; slots that began or ended at it reach to the film's start or end. */
export const dropMark = (film: Source, id: string) =>
  edit('Remove mark', (session) => {
    for (const source of session.sources) {
      if (source.id === film.id) source.marks = source.marks?.filter((mark) => mark.id !== id)
      if (source.slot?.film !== film.id) continue
      if (source.slot.from === id) delete source.slot.from
      if (source.slot.to === id) delete source.slot.to
    }
  })

function editMarks(
  film: Source,
  label: string,
  change: (marks: readonly PictureMark[]) => readonly PictureMark[],
  gesture?: string,
) {
  editSource(
    film.id,
    label,
    (draft) => {
      draft.marks = change(draft.marks ?? [])
        .map((mark) => ({ ...mark }))
        .sort((a, b) => a.seconds - b.seconds)
    },
    gesture,
  )
}

/** See a source with a film, or fill a slot of it; undefined lets the picture go. */
export function setSlot(source: Source, part: Partial<Slot> | undefined, gesture?: string) {
  const pauses = part?.fill === 'pauses' ? pausesIn(source) : undefined
  editSource(
    source.id,
    part ? 'Slot of picture' : 'No picture',
    (draft) => {
      if (!part) {
        delete draft.slot
        return
      }
      const { film } = pictureOf(getState().history.present.sources, source) ?? {}
      const before: Slot = draft.slot ?? { film: film?.id ?? source.id, fill: 'free' }
      // another film has other marks
      const own = part.film !== undefined && part.film !== before.film ? { film: part.film, fill: before.fill } : before
      draft.slot = { ...own, ...part, ...(pauses && { pauses }) }
      for (const name of ['from', 'to'] as const) if (name in part && part[name] === undefined) delete draft.slot[name]
    },
    gesture,
  )
}

/** Where nothing is said, frames of the file: from what is drawn of it, which is there for what is heard. */
export function pausesIn(source: Source): { start: number; end: number }[] | undefined {
  const overview = getState().loads[soundKey(source)]?.facts?.overview
  const sampleRate = source.facts?.sampleRate
  if (!overview || !sampleRate) return undefined
  const bins = Math.max(1, Math.round((STEP_SECONDS * sampleRate) / overview.framesPerBin))
  const steps = Math.ceil(overview.rms.length / bins)
  const stepFrames = bins * overview.framesPerBin
  const energies = Float32Array.from({ length: steps }, (_, n) => {
    const part = overview.rms.subarray(n * bins, (n + 1) * bins)
    return part.reduce((sum, rms) => sum + rms * rms, 0) * overview.framesPerBin
  })
  const offset = source.range?.start ?? 0
  return pausesOf({ stepFrames, energies }, sampleRate).map(({ start, end }) => ({
    start: start + offset,
    end: Math.min(overview.frames, end) + offset,
  }))
}

const STEP_SECONDS = 0.01
