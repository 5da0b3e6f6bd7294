import { asOutput, asSource, planOf } from '../../../core'
import {
  type Keys,
  type PickMark,
  partFacts,
  partStart,
  pickSpan,
  playedRecipe,
  REFERENCE,
  type Source,
} from '../../../session'
import { newGesture } from '../../common/drag'
import { edit, editSource } from '../edits'
import { playback } from '../hear/listening'
import { notify } from '../state/notices'
import { setOutlook } from '../state/outlook'
import { activeLane, type State, selectedSource, store } from '../state/store'

/** Picks, what lies over the keys, and how a source is shaped: all that Play changes in the session. */

const { getState } = store

const PLAIN_PICK = {
  play: 'hold',
  attackMs: 0,
  releaseMs: 60,
  gainDb: 0,
  pan: 0,
  semitones: 0,
  reverse: false,
} as const

/** a pick that is ended at once still holds this much of its result, s */
const LEAST_SECONDS = 0.05

/** The variant that is heard; undefined for the source itself. */
export function heardVariant(state: State, source: Source): string | undefined {
  const lane = activeLane(state, source)
  return lane === REFERENCE ? undefined : lane
}

const nextName = (picks: readonly PickMark[], source: Source) => {
  const own = picks.filter((pick) => pick.source === source.id).length
  return `${source.name} ${own + 1}`
}

/** Lay a piece on a pad; seconds of the source's file. */
export function addPick(source: Source, from: number, to: number, name?: string, gesture?: string): string {
  const id = crypto.randomUUID()
  const state = getState()
  const variant = heardVariant(state, source)
  edit(
    'mark a pick',
    (session) => {
      session.picks.push({
        id,
        name: name ?? nextName(session.picks, source),
        source: source.id,
        ...(variant !== undefined && { variant }),
        from,
        to,
        ...PLAIN_PICK,
      })
    },
    gesture,
  )
  setOutlook({ pick: id, playPanel: 'pick' })
  return id
}

export function setPick(id: string, part: Partial<PickMark>, gesture?: string) {
  edit(
    'change a pick',
    (session) => {
      const pick = session.picks.find((one) => one.id === id)
      if (!pick) return
      const next = { ...pick, ...part }
      if (next.to > next.from) Object.assign(pick, part)
      if (part.group === '') delete pick.group
    },
    gesture,
  )
}

export function removePick(id: string) {
  const { picks } = getState().history.present
  const pick = picks.find((one) => one.id === id)
  if (!pick) return
  edit('remove a pick', (session) => {
    session.picks = session.picks.filter((one) => one.id !== id)
  })
  const at = picks.indexOf(pick)
  setOutlook({ pick: (picks[at + 1] ?? picks[at - 1])?.id })
  notify({ tone: 'plain', kind: 'undo', text: `${pick.name} removed`, undo: true })
}

/** Move a pad to another place among the pads. */
export function movePick(id: string, by: number) {
  edit('move a pad', (session) => {
    const from = session.picks.findIndex((one) => one.id === id)
    const to = Math.max(0, Math.min(session.picks.length - 1, from + by))
    const [pick] = session.picks.splice(from, 1)
    if (pick) session.picks.splice(to, 0, pick)
  })
}

/** where a pick that is being marked began: seconds of the file */
let open: { readonly source: string; readonly from: number } | undefined

/** Seconds of the file that are heard now, so many milliseconds of listening earlier. */
function heardSeconds(source: Source, earlierMs: number): number | undefined {
  const facts = partFacts(source)
  if (!facts) return undefined
  const state = getState()
  const recipe = playedRecipe(source, heardVariant(state, source))
  const { map } = planOf(recipe, facts)
  const frame = playback.sourceFrame()
  const output = map.outputAt(asSource(frame)) - (earlierMs / 1000) * facts.sampleRate * state.outlook.listeningSpeed
  return partStart(source) + map.sourceAt(asOutput(Math.max(0, output))) / facts.sampleRate
}

/** A pick begins where it is heard, less what the hand needs. */
export function beginPick() {
  const source = selectedSource(getState())
  if (!source) return
  const { leadMs } = getState().outlook
  const from = heardSeconds(source, playback.playing === 'lane' ? leadMs : 0)
  if (from === undefined) return
  open = { source: source.id, from }
  store.setState({ marking: from })
}

/** The pick that was begun ends where it is heard. */
export function endPick() {
  const source = selectedSource(getState())
  const begun = open
  open = undefined
  store.setState({ marking: undefined })
  if (!source || !begun || begun.source !== source.id) return
  const facts = partFacts(source)
  const to = heardSeconds(source, 0)
  if (to === undefined || !facts) return
  const [from, end] = begun.from < to ? [begun.from, to] : [to, begun.from]
  const variant = heardVariant(getState(), source)
  const span = pickSpan(source, { from, to: end, ...(variant !== undefined && { variant }) })
  if (!span || span.to - span.from < LEAST_SECONDS) {
    notify({ tone: 'plain', text: 'Nothing passed between the two: let it play, then mark its beginning and its end.' })
    return
  }
  addPick(source, from, end)
}

/** One key for both. */
export const markPick = () => (open ? endPick() : beginPick())

/** Several pieces at once, one step of undo. */
export function addPicks(source: Source, pieces: readonly { from: number; to: number; name: string }[]) {
  const gesture = newGesture('picks')
  const { playPanel } = getState().outlook
  for (const { from, to, name } of pieces) addPick(source, from, to, name, gesture)
  // they may come late, while something else is looked at
  setOutlook({ playPanel })
}

const PLAIN_KEYS = {
  length: 'keep',
  inTempo: false,
  voices: 16,
  glideMs: 0,
  play: 'hold',
  attackMs: 5,
  releaseMs: 150,
  gainDb: -6,
  pan: 0,
} as const

/** Put a source, one of its variants, or a pick over the keys. */
export function putOverKeys(what: Pick<Keys, 'source' | 'variant' | 'pick'>) {
  edit('put over the keys', (session) => {
    const before: Partial<Keys> = session.keys ?? {}
    const { variant: _, pick: __, root: ___, ...how } = before
    session.keys = { ...PLAIN_KEYS, ...how, ...what }
  })
}

export function setKeys(part: Partial<Keys>, gesture?: string) {
  edit(
    'change the keys',
    (session) => {
      if (session.keys) Object.assign(session.keys, part)
      for (const name of ['root', 'formants'] as const)
        if (session.keys && name in part && part[name] === undefined) delete session.keys[name]
    },
    gesture,
  )
}

export const PLAIN_PREPARE = { sinesDb: 0, attacksDb: 0, noiseDb: 0, without: [] as number[] }

export function setPrepare(source: Source, part: Partial<NonNullable<Source['prepare']>>, gesture?: string) {
  editSource(
    source.id,
    'prepare the source',
    (own) => {
      own.prepare = { ...PLAIN_PREPARE, ...own.prepare, ...part }
    },
    gesture,
  )
}

export function setFilter(source: Source, filter: Source['filter'], gesture?: string) {
  editSource(
    source.id,
    'draw the filter',
    (own) => {
      if (filter) own.filter = filter
      else delete own.filter
    },
    gesture,
  )
}
