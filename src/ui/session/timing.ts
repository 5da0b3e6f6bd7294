import {
  fileBase,
  type Groove,
  grooveJson,
  type Pin,
  placePin,
  readGroove,
  SAME_MOMENT_SECONDS,
  type SpeedPoint,
  speedBetween,
  takeGroove,
} from '../../core'
import {
  gridBeatsOf,
  hitsOf,
  leadOf,
  type NamedGroove,
  pacingOf,
  partFacts,
  partStart,
  ruleOf,
  type Source,
  type SourcePacing,
  type SourceRule,
  type SourceTiming,
  timingOf,
} from '../../session'
import { saveFile } from '../common/saveFile'
import { edit, editSource } from './edits'
import { heardSound } from './hear/listening'
import { knowledgeOf } from './know/knowledge'
import { mayChange } from './state/access'
import { pool } from './state/engine'
import { notify, tell } from './state/notices'
import { store, useSession } from './state/store'

/** All that can be done to the timing inside a source. Moments are seconds of its file. Each gesture is one step. */

const { getState } = store

/** The source by whose attacks one is timed: of kin the one that leads, else itself. */
export const useLead = (source: Source): Source => useSession((state) => leadOf(state.history.present.sources, source))

const foundOf = (source: Source) => knowledgeOf(getState(), source)
const rateOf = (source: Source) => source.facts?.sampleRate ?? 48_000

function editTiming(source: Source, label: string, recipe: (timing: SourceTiming) => void, gesture?: string) {
  editSource(
    source.id,
    label,
    (draft) => {
      draft.timing ??= { pins: [], placed: [] }
      recipe(draft.timing)
      // a timing that says nothing is none
      const { pins, rule, speedCurve, pacing } = draft.timing
      if (pins.length === 0 && !rule && !speedCurve && !pacing) delete draft.timing
    },
    gesture,
  )
}

export function setRule(source: Source, part: Partial<SourceRule>, gesture?: string) {
  editTiming(
    source,
    'Quantise',
    (timing) => {
      timing.rule = { ...ruleOf(source), ...part }
      for (const [name, value] of Object.entries(part))
        if (value === undefined) delete timing.rule[name as keyof SourceRule]
    },
    gesture,
  )
}

/** As played: without rule, pins and speed curve. */
export const resetTiming = (source: Source) =>
  editSource(source.id, 'Timing as played', (draft) => {
    delete draft.timing
  })

const isAt = (seconds: number) => (pin: Pin) => Math.abs(pin.source - seconds) < SAME_MOMENT_SECONDS

/** What lies right before and right behind a moment of the file: other pins, or attacks where they are held. */
function beside(source: Source, others: readonly Pin[], moment: number): Pin[] {
  const start = partStart(source)
  const isHere = isAt(moment)
  let before: Pin | undefined
  let behind: Pin | undefined
  // of one moment the tie counts, not where it would be held
  const look = (at: number, own: number) => {
    if (at < moment && at > (before?.source ?? Number.NEGATIVE_INFINITY) + 1e-6) before = { source: at, own }
    if (at > moment && at < (behind?.source ?? Number.POSITIVE_INFINITY) - 1e-6) behind = { source: at, own }
  }
  const tied = ruleOf(source).strength > 0 ? timingOf(source).placed : others
  for (const pin of tied) if (!isHere(pin)) look(pin.source, pin.own)
  for (const { seconds } of hitsOf(source, foundOf(source))) {
    const at = seconds + start
    if (Math.abs(at - moment) >= SAME_MOMENT_SECONDS) look(at, at)
  }
  return [before, behind].flatMap((pin) => pin ?? [])
}

/**
 * Lay a moment of the file where it is wanted, as far as its neighbours let it. It is the chosen one then, which tells
 * where it had to stop.
 */
export function movePin(source: Source, moment: number, wanted: number, gesture?: string) {
  const timing = timingOf(source)
  const others = timing.pins.filter((pin) => !isAt(moment)(pin))
  const start = partStart(source)
  const around = beside(source, others, moment).map((pin) => ({ source: pin.source - start, own: pin.own - start }))
  const frames = source.range ? source.range.end - source.range.start : (source.facts?.frames ?? 0)
  const { own, stopped } = placePin(around, moment - start, wanted - start, frames / rateOf(source))
  const pin = { source: moment, own: own + start }
  editTiming(
    source,
    'Pin',
    (draft) => {
      draft.pins = [...others, pin].sort((a, b) => a.source - b.source)
    },
    gesture,
  )
  store.setState({ chosenMoment: { sourceId: source.id, seconds: moment, stopped } })
}

/** Hold a moment of the file where it is. */
export function addPin(source: Source, moment: number) {
  if (timingOf(source).pins.some(isAt(moment))) return
  editTiming(source, 'Pin', (timing) => {
    timing.pins = [...timing.pins, { source: moment, own: moment }].sort((a, b) => a.source - b.source)
  })
}

/** Let a pin by hand go; all of them where none is named. */
export function dropPins(source: Source, moment?: number) {
  editTiming(source, moment === undefined ? 'Reset pins' : 'Reset pin', (timing) => {
    timing.pins = moment === undefined ? [] : timing.pins.filter((pin) => !isAt(moment)(pin))
  })
}

/** Let all pins by hand between two moments of the file go. */
export function dropPinsBetween(source: Source, from: number, to: number) {
  editTiming(source, 'Reset pins', (timing) => {
    timing.pins = timing.pins.filter((pin) => pin.source < from || pin.source > to)
  })
}

/** The speed curve over a source: points by their seconds; none ends it. */
export function setSpeedPoints(source: Source, points: readonly SpeedPoint[], gesture?: string) {
  editTiming(
    source,
    'Speed curve',
    (timing) => {
      // what is drawn by hand follows no rule
      delete timing.pacing
      if (points.length === 0) delete timing.speedCurve
      else
        timing.speedCurve = {
          ...timing.speedCurve,
          points: points.map((point) => ({ ...point })).sort((a, b) => a.seconds - b.seconds),
        }
    },
    gesture,
  )
}

/** the work of finding out how a voice gives way, as it is shown */
const givingKey = (source: Source) => `giving ${source.id}`
/** how far each of those is to be paced: it may be said again while that is found out */
const wantedPacing = new Map<string, number>()

/**
 * Pace a source as speech, so far; 0 ends it. What its moments give is found out first, where that is not known.
 * Resolves when it is done, or was given up.
 */
export async function setPacing(source: Source, percent: number, gesture?: string) {
  const known = timingOf(source).pacing
  const isListening = wantedPacing.has(source.id)
  if (isListening) {
    wantedPacing.set(source.id, percent)
    return
  }
  if (percent <= 0)
    return editTiming(
      source,
      'As even as before',
      (timing) => {
        if (timing.pacing) delete timing.speedCurve
        delete timing.pacing
      },
      gesture,
    )
  const set = (pacing: SourcePacing) =>
    editTiming(
      source,
      'Speech pacing',
      (timing) => {
        timing.pacing = pacing
      },
      gesture,
    )
  if (known) return set({ ...known, percent })
  const loaded = heardSound(source)
  const facts = partFacts(source)
  if (!loaded || !facts || !mayChange()) return
  if (facts.frames / facts.sampleRate > LONGEST_PACED_SECONDS)
    return notify({ tone: 'trouble', text: 'Speech is paced ten minutes at a time: work with a part of this file.' })
  const key = givingKey(source)
  const show = (progress: number) =>
    store.setState((state) => ({
      exports: { ...state.exports, [key]: { name: `Listening to ${source.name}`, progress } },
    }))
  show(0)
  wantedPacing.set(source.id, percent)
  try {
    const { sound } = loaded.decoded
    const hits = hitsOf(source, foundOf(source)).map(({ seconds, strength }) => ({
      frame: Math.round(seconds * facts.sampleRate),
      strength,
    }))
    const giving = await pool.run<'giving'>(
      { kind: 'giving', sound, known: hits.length > 0 ? { attacks: hits } : {} },
      { rank: 1, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
    )
    const wanted = wantedPacing.get(source.id) ?? 0
    if (wanted > 0) set(pacingOf(wanted, giving, partStart(source)))
  } catch (error) {
    tell(error)
  } finally {
    wantedPacing.delete(source.id)
    store.setState(({ exports: { [key]: _, ...others } }) => ({ exports: others }))
  }
}

/** What is said while it is found out how a source gives way; undefined where nothing is. */
export const useListeningText = (source: Source): string | undefined =>
  useSession((state) => {
    const work = state.exports[givingKey(source)]
    return work && `Listening for vowels, consonants and pauses, ${Math.round(100 * work.progress)} %`
  })

/** as far as what is found can be kept with the session */
const LONGEST_PACED_SECONDS = 600

/** Whether the whole stays as long as it is, by what lies around the curve. */
export function setKeepsLength(source: Source, keepsLength: boolean) {
  editTiming(source, 'Length under the speed curve', (timing) => {
    if (timing.speedCurve) timing.speedCurve.keepsLength = keepsLength
  })
}

/** Run what lies between two moments of the file at a speed, and what lies around as it does. */
export function setSpeedBetween(source: Source, from: number, to: number, percent: number, gesture?: string) {
  const points = timingOf(source).speedCurve?.points ?? []
  const around = points.filter(({ seconds }) => seconds < from - 1e-6 || seconds > to + 1e-6)
  setSpeedPoints(source, [...around, ...speedBetween(from, to, percent)], gesture)
}

/** Take the groove of a source over bars of the grid that its rule has, to be laid on others. */
export function takeGrooveOf(source: Source, bars = 1): NamedGroove | undefined {
  const found = foundOf(source)
  const beats = gridBeatsOf(source, found)
  if (!beats) {
    notify({ tone: 'trouble', text: `${source.name} has no tempo: say it, then its groove can be taken` })
    return undefined
  }
  const beatsPerBar = source.hand.beatsPerBar ?? found?.tempo.beatsPerBar ?? 4
  const groove: Groove = takeGroove(hitsOf(source, found), beats.own, { grid: ruleOf(source).grid, beatsPerBar, bars })
  const named = namedGroove(groove, source.name)
  edit('Take groove', (session) => {
    session.grooves.push(named)
  })
  notify({ tone: 'plain', text: `Groove of ${source.name} taken: lay it on another source under Timing`, undo: true })
  return named
}

const namedGroove = (groove: Groove, name: string): NamedGroove => ({
  ...groove,
  id: crypto.randomUUID(),
  name,
  offsets: [...groove.offsets],
  spreads: [...groove.spreads],
  counts: [...groove.counts],
})

/** Bring a groove in that was saved as JSON, here or by the command. */
export async function bringInGroove(file: File) {
  try {
    const groove = readGroove(await file.text(), file.name)
    const name = file.name.replace(/(_groove)?\.json$/i, '') || file.name
    edit('Bring in groove', (session) => {
      session.grooves.push(namedGroove(groove, name))
    })
    notify({ tone: 'plain', text: `Groove ${name} brought in`, undo: true })
  } catch (error) {
    tell(error)
  }
}

export const renameGroove = (id: string, name: string) => {
  const clean = name.trim()
  if (clean)
    edit('Rename groove', (session) => {
      const groove = session.grooves.find((one) => one.id === id)
      if (groove) groove.name = clean
    })
}

/** Take a groove away; what was drawn to it is drawn to its straight grid. */
export const dropGroove = (id: string) =>
  edit('Remove groove', (session) => {
    session.grooves = session.grooves.filter((groove) => groove.id !== id)
    for (const { timing } of session.sources) if (timing?.rule?.groove === id) delete timing.rule.groove
  })

/** A groove as a file, for others to read: JSON as the command takes it, or notes. */
export async function saveGroove(groove: NamedGroove, kind: 'json' | 'mid') {
  const name = `${fileBase(groove.name)}_groove.${kind}`
  if (kind === 'json') saveFile(new Blob([grooveJson(groove, groove.name)], { type: 'application/json' }), name)
  else {
    const { grooveMidi } = await import('../../session/grooveFile')
    saveFile(new Blob([grooveMidi(groove)], { type: 'audio/midi' }), name)
  }
}
