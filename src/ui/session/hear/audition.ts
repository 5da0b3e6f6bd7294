import { AppError, dbToAmplitude, otherReading } from '../../../core'
import { type FileFacts, type Sound, samplesHeld } from '../../../engine'
import { beatsOf, SURE_FROM } from '../../../session'
import { bytesOf, nameOf } from '../files/gather'
import { readLimit } from '../files/readLimit'
import { pool } from '../state/engine'
import { tell } from '../state/notices'
import { type State, selectedSource, store } from '../state/store'
import { timelineOf } from '../timeline/mixing'
import { playback } from './listening'

/** Hearing listed files: at once, or fitted to the session and starting in time with what plays. Changes no session. */

const { getState, setState } = store
const MOST_HELD = 24
/** ten minutes of stereo */
const MOST_SAMPLES_HELD = 2 * 48_000 * 600
/** what auditions are brought to, and the headroom over full scale that they are kept under */
const LOUDNESS_LUFS = -18
const HIGHEST_PEAK_DB = -1
const held = new Map<string, Promise<Sound>>()
const sizes = new Map<string, number>()

/** The ones that were opened first go, but for the last. */
function letGo() {
  let samples = [...held.keys()].reduce((sum, id) => sum + (sizes.get(id) ?? 0), 0)
  for (const id of [...held.keys()].slice(0, -1)) {
    if (held.size <= MOST_HELD && samples <= MOST_SAMPLES_HELD) return
    samples -= sizes.get(id) ?? 0
    held.delete(id)
  }
}

function soundOf(id: string, path: string): Promise<Sound> {
  const known = held.get(id)
  if (known) return known
  const opening = (async () => {
    const blob = await bytesOf(id)
    if (!blob) throw new AppError('storage/lost', { name: nameOf(path) })
    return pool.run<'open'>({ kind: 'open', blob, file: nameOf(path) }, { rank: 0, ...readLimit(blob, nameOf(path)) })
  })()
  held.set(id, opening)
  opening.then(
    (sound) => {
      sizes.set(id, samplesHeld(sound))
      letGo()
    },
    () => held.delete(id),
  )
  return opening
}

/** How a listed sound is brought to the session's tempo; 1 where either has none that is known. */
export function fittedStretch(facts: FileFacts | undefined, sessionBpm: number): number {
  const tempo = facts?.knowledge.tempo
  if (!tempo || tempo.bpm === undefined || tempo.confidence < SURE_FROM) return 1
  const stretch = tempo.bpm / sessionBpm
  return otherReading(stretch)?.stretch ?? stretch
}

/** What an audition is fitted to: the tempo that is heard, or else the session's. */
const tempoNow = (state: State) =>
  state.mixPlaying ? timelineOf(state).tempo.bpmAt(Math.max(0, playback.beat())) : state.history.present.bpm

function auditionGain(loudness: number | undefined, peak: number | undefined): number {
  if (loudness === undefined || !Number.isFinite(loudness) || !peak) return 1
  const wanted = dbToAmplitude(LOUDNESS_LUFS - loudness)
  return Math.min(wanted, dbToAmplitude(HIGHEST_PEAK_DB) / peak)
}

/** beats of the timeline ahead that an audition may wait for */
const MOST_BEATS_AHEAD = 64

/**
 * Places of what plays at which something may begin in time: source frames of a lane, beats of the timeline or of a
 * round. Undefined where it begins at once.
 */
export function startsOf(state: State, start: 'now' | 'beat' | 'bar'): Float64Array | undefined {
  if (start === 'now') return undefined
  const round = playback.roundBeat()
  if (round !== undefined) {
    const bar = start === 'bar' ? state.history.present.beatsPerBar : 1
    const first = Math.floor(round / bar)
    return Float64Array.from({ length: MOST_BEATS_AHEAD }, (_, n) => (first + n) * bar)
  }
  if (state.mixPlaying) {
    const { metre } = timelineOf(state)
    const from = Math.floor(playback.beat())
    const beats = Array.from({ length: MOST_BEATS_AHEAD }, (_, n) => from + n)
    return Float64Array.from(start === 'bar' ? beats.filter((beat) => metre.barAt(beat).beat === 0) : beats)
  }
  const source = selectedSource(state)
  if (!source || !state.playing) return undefined
  const { frames, bars } = beatsOf(source, state.knowledge[source.id])
  const places = start === 'bar' ? frames.filter((_, i) => bars[i]) : frames
  return places.length > 0 ? Float64Array.from(places) : undefined
}

/** Let a listed file be heard; `near` are the ones that may be asked for next. */
export async function audition(id: string, near: readonly string[] = []) {
  const state = getState()
  const row = state.found.find((file) => file.id === id)
  if (!row || row.status === 'failed') {
    stopAudition()
    return
  }
  setState({ auditioned: id })
  try {
    const sound = await soundOf(id, row.path)
    if (getState().auditioned !== id) return
    const { facts } = row
    const kind = facts?.knowledge.material.likely
    await playback.audition(
      {
        sound,
        stretch: state.outlook.audition.fitted ? fittedStretch(facts, tempoNow(state)) : 1,
        methodId: kind === 'chords' || kind === 'single line' ? 'vocoder' : 'splice',
        analysis: facts ? { attacks: facts.knowledge.attacks } : {},
        gain: auditionGain(facts?.loudness, facts?.peak),
      },
      startsOf(state, state.outlook.audition.start),
    )
    for (const next of near) {
      const other = getState().found.find((file) => file.id === next)
      if (other && other.status !== 'failed') soundOf(next, other.path).catch(() => undefined)
    }
  } catch (error) {
    setState({ auditioned: undefined })
    tell(error)
  }
}

/** By what a sound is held that is heard as it is, beside the listed files. */
const madeKey = (id: string) => `made ${id}`

/** Whether what was made of a listed file is heard. */
export const isMadeHeard = (auditioned: string | undefined, id: string) => auditioned === madeKey(id)

/** Let what was made of a listed file be heard, as loud as the file itself is when it is heard. */
export async function auditionMade(id: string, file: string, blobOf: () => Promise<Blob | undefined>, peak: number) {
  const key = madeKey(id)
  setState({ auditioned: key })
  try {
    const blob = await blobOf()
    if (!blob) throw new AppError('storage/lost', { name: file })
    const sound = await pool.run<'open'>({ kind: 'open', blob, file }, { rank: 0, ...readLimit(blob, file) })
    const { auditioned, found } = getState()
    if (auditioned !== key) return
    const facts = found.find((one) => one.id === id)?.facts
    const gain = auditionGain(facts?.loudness, Math.max(peak, facts?.peak ?? 0))
    await playback.audition({ sound, stretch: 1, methodId: 'splice', analysis: {}, gain })
  } catch (error) {
    setState({ auditioned: undefined })
    tell(error)
  }
}

export function stopAudition() {
  setState({ auditioned: undefined })
  playback.stopAudition()
}
