import { current, isDraft } from 'immer'
import { methodById, ratioToSemitones, semitonesToRatio } from '../../core'
import {
  attackEdits,
  change,
  clampPitch,
  clampStretch,
  filled,
  type Hand,
  isTimedAs,
  isUntuned,
  joinedOf,
  type Key,
  keyInterval,
  keyOf,
  kinOf,
  type LaneRun,
  leadOf,
  MAX_VARIANTS,
  PLAIN_TARGET,
  partFacts,
  placedOf,
  type Session,
  type Source,
  settledPacing,
  slotOf,
  type Target,
  tempoOf,
  timeAs,
  type Variant,
} from '../../session'
import { mayChange } from './state/access'
import { type State, store } from './state/store'

/**
 * All that can be changed in the session. Each call is one step of undo, or joins the step of its gesture.
 * What is heard and said of a change is in `acts`.
 */

const SHORTEST_LOOP_SECONDS = 0.01

const { getState, setState } = store

export function edit(label: string, recipe: (session: Session) => void, gesture?: string) {
  if (!mayChange()) return
  setState((state) => ({
    history: change(
      state.history,
      label,
      (session) => {
        recipe(session)
        settleSlots(session, state.history.present)
        settleKin(session, state.history.present, 'to the lead')
        settleTimings(session, state)
        settlePacing(session, state.history.present)
        settleKin(session, state.history.present, 'from the lead')
        if (session.sources !== state.history.present.sources) settlePlay(session)
      },
      gesture,
    ),
  }))
}

/** Picks and keys go with their source; of a variant that is gone the source itself is played. */
function settlePlay(draft: Session) {
  const isThere = (id: string) => draft.sources.some((source) => source.id === id)
  const hasVariant = ({ source, variant }: { source: string; variant?: string | undefined }) =>
    variant === undefined ||
    draft.sources.some(
      (one) => one.id === source && one.variants.some(({ id, letter }) => id === variant || letter === variant),
    )
  if (draft.picks.some(({ source }) => !isThere(source)))
    draft.picks = draft.picks.filter(({ source }) => isThere(source))
  for (const pick of draft.picks) if (!hasVariant(pick)) delete pick.variant
  if (draft.keys && !isThere(draft.keys.source)) delete draft.keys
  if (draft.keys && !hasVariant(draft.keys)) delete draft.keys.variant
  for (const take of draft.takes) {
    if (take.keys && !isThere(take.keys.source)) delete take.keys
    if (take.keys && !hasVariant(take.keys)) delete take.keys.variant
  }
}

/** What fills a slot of picture follows its marks; what is given another length by hand no longer fills it. */
function settleSlots(draft: Session, present: Session) {
  const plain = (source: Source): Source => (isDraft(source) ? current(source) : source)
  const films = draft.sources.filter(({ facts }) => facts?.picture).map(plain)
  for (const source of draft.sources) {
    if (!source.slot) continue
    const now = plain(source)
    const before = present.sources.find(({ id }) => id === now.id)
    const { slot } = now
    if (!slot || !films.some(({ id }) => id === slot.film)) {
      delete source.slot
      continue
    }
    const [is, was] = [slotOf(films, now), before && slotOf(present.sources, before)]
    const isMoved =
      !before || slot !== before.slot || now.range !== before.range || is?.from !== was?.from || is?.to !== was?.to
    const isByHand =
      now.target.stretch !== before?.target.stretch || now.timing?.speedCurve !== before?.timing?.speedCurve
    if (isMoved) {
      const { target, follows, timing } = filled([...films, now], now, before?.slot?.fill)
      Object.assign(source, { target, follows })
      if (timing) source.timing = timing
      else delete source.timing
    }
    if (!isMoved && isByHand && slot.fill !== 'free') source.slot.fill = 'free'
  }
}

/** What is done to the time of one of kin is done to all: to the one that leads first, and from there to the others. */
function settleKin(draft: Session, present: Session, way: 'to the lead' | 'from the lead') {
  for (const lead of draft.sources) {
    const all = kinOf(draft.sources, lead)
    if (all.length < 2 || all[0] !== lead) continue
    const isChanged = (source: Source) => {
      const now: Source = isDraft(source) ? current(source) : source
      const before = present.sources.find(({ id }) => id === now.id)
      return !before || before.kin !== now.kin || !isTimedAs(before, now)
    }
    const changed = all.filter(isChanged)
    if (changed.length === 0) continue
    const driving = changed.includes(lead) ? lead : (changed[0] as Source)
    const meant: Source = isDraft(driving) ? current(driving) : driving
    if (way === 'to the lead') {
      if (driving !== lead) timeAs(lead, meant)
    } else for (const other of all) if (other !== lead) timeAs(other, meant)
  }
}

/** The curve of what is paced as speech follows its stretch, and the part of the file. */
function settlePacing(draft: Session, present: Session) {
  for (const source of draft.sources) {
    const before = present.sources.find(({ id }) => id === source.id)
    if (!source.timing?.pacing && !before?.timing?.pacing) continue
    const now: Source = isDraft(source) ? current(source) : source
    const { target, timing } = settledPacing(now, before)
    if (target !== now.target) source.target = target
    if (timing === now.timing) continue
    if (timing) source.timing = timing
    else delete source.timing
  }
}

/** What a rule and pins come to follows whatever they go by: attacks, beats, the part of the file, grooves. */
function settleTimings(draft: Session, { history: { present }, knowledge }: State) {
  const grooves = isDraft(draft.grooves) ? current(draft.grooves) : draft.grooves
  for (const source of draft.sources) {
    if (!source.timing || leadOf(draft.sources, source) !== source) continue
    const now: Source = isDraft(source) ? current(source) : source
    const before = present.sources.find(({ id }) => id === now.id)
    if (!before || !now.timing || now === before) continue
    const { timing, hand, range } = now
    const isSame =
      timing.pins === before.timing?.pins &&
      timing.rule === before.timing?.rule &&
      hand === before.hand &&
      range === before.range &&
      grooves === present.grooves
    // frozen, so that thousands of pins are not looked through for what may be a draft
    if (!isSame) source.timing = { ...now.timing, placed: frozen(placedOf(now, knowledge[now.id], grooves)) }
  }
}

/** Plain data that nobody changes. */
const frozen = <T>(list: T[]): T[] => Object.freeze(list) as T[]

export function editSource(sourceId: string, label: string, recipe: (source: Source) => void, gesture?: string) {
  edit(
    label,
    (session) => {
      const source = session.sources.find((s) => s.id === sourceId)
      if (source) recipe(source)
    },
    gesture,
  )
}

function editVariant(
  source: Source,
  variantId: string,
  label: string,
  recipe: (variant: Variant) => void,
  gesture?: string,
) {
  editSource(
    source.id,
    label,
    (draft) => {
      const variant = draft.variants.find((v) => v.id === variantId)
      if (variant) recipe(variant)
    },
    gesture,
  )
}

export function rename(sourceId: string, name: string) {
  const clean = name.trim()
  if (clean)
    editSource(sourceId, 'Rename', (source) => {
      source.name = clean
    })
}

/** @returns what the source followed until now, in words, where this ends it. */
export function changeTarget(sourceId: string, part: Partial<Target>, gesture?: string): string | undefined {
  let ended: string | undefined
  editSource(
    sourceId,
    'Target',
    (source) => {
      const { target } = source
      Object.assign(target, part)
      ended = endFollowing(source, part)
      if (!target.tied) return
      if (part.pitchSemitones !== undefined) target.stretch = clampStretch(1 / semitonesToRatio(target.pitchSemitones))
      else target.pitchSemitones = clampPitch(-ratioToSemitones(target.stretch) || 0)
    },
    gesture,
  )
  return ended
}

/**
 * A source whose length or pitch is set by hand no longer follows the session in it.
 * To show it as following would not be true, and the next change of the session would throw the work away.
 * @returns what it followed until now, in words; undefined where it goes on as it was.
 */
function endFollowing({ name, target, follows }: Source, part: Partial<Target>): string | undefined {
  const { stretch, pitchSemitones } = part
  const tempo = follows.tempo && (stretch !== undefined || (target.tied && pitchSemitones !== undefined))
  const key = follows.key && (pitchSemitones !== undefined || (target.tied && stretch !== undefined))
  if (tempo) follows.tempo = false
  if (key) follows.key = false
  const what = [tempo && 'tempo', key && 'key'].filter(Boolean).join(' and ')
  return what === '' ? undefined : `${name} no longer follows the session's ${what}: it was set by hand`
}

/** @returns as `changeTarget`. */
export function plainTarget(sourceId: string): string | undefined {
  let ended: string | undefined
  editSource(sourceId, 'Reset target', (source) => {
    ended = endFollowing(source, PLAIN_TARGET)
    source.target = { ...PLAIN_TARGET }
  })
  return ended
}

export function setSelection(sourceId: string, selection: Source['selection'], gesture?: string) {
  const found = getState().history.present.sources.find((s) => s.id === sourceId)
  const facts = found && partFacts(found)
  if (!facts) return
  editSource(
    sourceId,
    'Selection',
    (source) => {
      if (!selection) {
        delete source.selection
        return
      }
      const shortest = Math.ceil(SHORTEST_LOOP_SECONDS * facts.sampleRate)
      const start = Math.max(0, Math.min(Math.round(selection.start), facts.frames - shortest))
      source.selection = { start, end: Math.min(facts.frames, Math.max(Math.round(selection.end), start + shortest)) }
    },
    gesture,
  )
}

/**
 * Lay a variant where its letter belongs.
 * @returns its place among the variants; undefined where there is no letter left.
 */
export function placeVariant(source: Source, variant: Variant, label: string, gesture?: string): number | undefined {
  if (source.variants.length >= MAX_VARIANTS) return undefined
  const after = source.variants.findIndex((v) => v.letter > variant.letter)
  const at = after < 0 ? source.variants.length : after
  editSource(
    source.id,
    label,
    (draft) => {
      draft.variants.splice(at, 0, variant)
    },
    gesture,
  )
  return at
}

export function dropVariant(source: Source, variant: Variant) {
  editSource(source.id, `Remove ${variant.letter}`, (draft) => {
    draft.variants = draft.variants.filter((v) => v.id !== variant.id)
  })
}

export function dropSource(source: Source) {
  edit(`Remove ${source.name}`, (session) => {
    session.sources = session.sources.filter(({ id }) => id !== source.id)
    for (const other of session.sources) {
      const kin = other.kin?.filter((id) => id !== source.id)
      if (kin && kin.length > 1) other.kin = kin
      else delete other.kin
    }
    // what lay on the timeline of it goes with it, and comes back with it
    session.parts = session.parts.filter((part) => part.source !== source.id)
  })
}

/** Say that sources were recorded together: from now on they are timed as one, as the first of them is. */
export const setKin = (sourceIds: readonly string[]) =>
  edit('Recorded together', (session) => {
    for (const source of session.sources) {
      const isOne = sourceIds.includes(source.id)
      if (isOne) source.kin = [...sourceIds]
      // who goes with these goes with no others any more
      else if (source.kin?.some((id) => sourceIds.includes(id))) delete source.kin
    }
  })

/** Sources that were recorded together go their own ways; what was done to their time stays. */
export const dropKin = (sourceIds: readonly string[]) =>
  edit('No longer together', (session) => {
    for (const source of session.sources) if (sourceIds.includes(source.id)) delete source.kin
  })

export function setMethod(source: Source, variant: Variant, methodId: string) {
  editVariant(source, variant.id, 'Method', (draft) => {
    draft.methodId = methodId
  })
}

/** What a joined lane is joined of. */
export function setRuns(source: Source, variantId: string, runs: readonly LaneRun[], label: string, gesture?: string) {
  editVariant(source, variantId, label, (draft) => Object.assign(draft, joinedOf(draft, runs)), gesture)
}

export function setSetting(
  source: Source,
  variant: Variant,
  name: string,
  value: number | string | undefined,
  gesture?: string,
) {
  editVariant(
    source,
    variant.id,
    'Setting',
    (draft) => {
      const own = { ...draft.settings[draft.methodId] }
      if (value === undefined || value === methodById(draft.methodId).settings[name]?.default) delete own[name]
      else own[name] = value
      draft.settings[draft.methodId] = own
    },
    gesture,
  )
}

export function setSeed(source: Source, variant: Variant, seed: number, gesture?: string) {
  editVariant(
    source,
    variant.id,
    'Seed',
    (draft) => {
      draft.seed = seed
    },
    gesture,
  )
}

/** Say something of a source that what is found out will not change; undefined takes it back. */
export function setHand(sourceId: string, part: { [K in keyof Hand]?: Hand[K] | undefined }, gesture?: string) {
  editSource(
    sourceId,
    'Correction',
    (source) => {
      for (const [name, value] of Object.entries(part)) {
        if (value === undefined) delete source.hand[name as keyof Hand]
        else Object.assign(source.hand, { [name]: value })
      }
      followTempo(source, getState().history.present.bpm)
    },
    gesture,
  )
}

/** Work with a part of the file; the file itself stays as it is. What was selected in the old part is let go. */
export function setRange(sourceId: string, range: Source['range'], label = 'Source range') {
  const { frames = 0 } = getState().history.present.sources.find(({ id }) => id === sourceId)?.facts ?? {}
  editSource(sourceId, label, (source) => {
    delete source.selection
    if (!range || (range.start <= 0 && range.end >= frames)) delete source.range
    else source.range = { start: Math.max(0, Math.round(range.start)), end: Math.min(frames, Math.round(range.end)) }
  })
}

/** A source that follows has its length from the two tempi. */
function followTempo(source: Source, bpm: number) {
  if (!source.follows.tempo) return
  const own = tempoOf(source, getState().knowledge[source.id]).bpm
  if (own === undefined) return
  source.target.stretch = clampStretch(own / bpm)
  if (source.target.tied) source.target.pitchSemitones = clampPitch(-ratioToSemitones(source.target.stretch) || 0)
}

function followKey(source: Source, key: Key | undefined) {
  if (!source.follows.key || !key) return
  const found = getState().knowledge[source.id]
  const own = keyOf(source, found).key
  if (own && !isUntuned(source, found)) source.target.pitchSemitones = keyInterval(own, key)
}

/** Every source that follows the session goes along with its tempo and its key. */
export function followSession({ sources, bpm, key }: Session) {
  for (const source of sources) {
    followTempo(source, bpm)
    followKey(source, key)
  }
}

/** The session's tempo, and with it every source that follows it: one step. */
export function setSessionBpm(bpm: number, gesture?: string) {
  edit(
    'Session tempo',
    (session) => {
      session.bpm = bpm
      for (const source of session.sources) followTempo(source, bpm)
    },
    gesture,
  )
}

export function setSessionKey(key: Key | undefined) {
  edit('Session key', (session) => {
    if (key) session.key = key
    else delete session.key
    for (const source of session.sources) followKey(source, key)
  })
}

export function setFollows(sourceId: string, part: Partial<Source['follows']>) {
  edit('Follow the session', (session) => {
    const source = session.sources.find(({ id }) => id === sourceId)
    if (!source) return
    Object.assign(source.follows, part)
    if (part.tempo) followTempo(source, session.bpm)
    if (part.key) followKey(source, session.key)
  })
}

/**
 * Move the pitch of several sources at once; untuned percussion among them stays.
 * @returns how many moved, the names of those that did not, and what ended following the session, in words.
 */
export function movePitches(sourceIds: readonly string[], semitones: number, gesture?: string) {
  const left: string[] = []
  const ended: string[] = []
  edit(
    'Transpose',
    (session) => {
      for (const source of session.sources) {
        if (!sourceIds.includes(source.id)) continue
        if (isUntuned(source, getState().knowledge[source.id])) {
          left.push(source.name)
          continue
        }
        source.target.pitchSemitones = clampPitch(source.target.pitchSemitones + semitones)
        const text = endFollowing(source, { pitchSemitones: source.target.pitchSemitones })
        if (text) ended.push(text)
      }
    },
    gesture,
  )
  return { moved: sourceIds.length - left.length, left, ended }
}

/** All attacks at once, in frames of the file; `undefined` for those that were found. One step. */
export function setAttacks(sourceId: string, wanted: readonly number[] | undefined, gesture?: string) {
  const found = getState().knowledge[sourceId]?.attacks.map(({ frame }) => frame) ?? []
  editSource(
    sourceId,
    wanted === undefined ? 'Attacks as found' : wanted.length === 0 ? 'Clear attacks' : 'Attacks',
    (source) => {
      const edits = attackEdits(source, found, wanted ?? found)
      if (edits.added.length + edits.removed.length === 0) delete source.hand.attacks
      else source.hand.attacks = edits
    },
    gesture,
  )
}

/** Add, move or take away an attack by hand; frames of the file. */
export function editAttacks(sourceId: string, change: { add?: number; remove?: number }, gesture?: string) {
  editSource(
    sourceId,
    'Attack',
    (source) => {
      const own = source.hand.attacks ?? { added: [], removed: [] }
      const added = [...own.added]
      const removed = [...own.removed]
      if (change.remove !== undefined) {
        const at = added.indexOf(change.remove)
        if (at >= 0) added.splice(at, 1)
        else removed.push(change.remove)
      }
      if (change.add !== undefined) added.push(Math.round(change.add))
      source.hand.attacks = { added, removed }
    },
    gesture,
  )
}
