import { AppError, findingsOf, harmOf, type Measurement, naturalRange } from '../../core'
import { errorText } from '../../host/errorText'
import { type ExportSettings, FIRST_EXPORT, kindOf, partFacts, type Source, type TimelinePart } from '../../session'
import { countedText, dbText, peakText, timeText } from '../common/formats'
import { saveFile } from '../common/saveFile'
import { makeDraft } from '../session/exporting/drafts'
import { itemOf } from '../session/exporting/items'
import { today } from '../session/exporting/queue'
import { pool } from '../session/state/engine'
import { notify, tell } from '../session/state/notices'
import { store } from '../session/state/store'
import { type Timeline, timelineOf } from '../session/timeline/mixing'
import { heardRecipe, partTrialKey, trialOf } from '../session/timeline/partTrials'
import { soundFor } from '../session/timeline/writeMix'
import { strainOf } from '../timeline/strain'
import { dataUrl } from './dataUrl'
import { type MixReportPart, mixReportHtml } from './mixHtml'

/** Writes a timeline as a page: measures every part as it lies, makes the mix, hands the file to the browser. */

const { getState, setState } = store

/** by this name it is shown among the work that is under way */
export const MIX_REPORT = 'report of the timeline'
const NAME = 'timeline_report.html'
const CLIP_SECONDS = 180
/** a part begins at a whole frame, which may lie just before its beat */
const FRAME_BEATS = 0.002
const CLIP_KBPS = 128

let stop: AbortController | undefined
export const cancelMixReport = () => stop?.abort()

export async function writeMixReport() {
  if (stop) return
  const own = new AbortController()
  stop = own
  const { signal } = own
  const show = (progress: number) =>
    setState((state) => ({ exports: { ...state.exports, [MIX_REPORT]: { name: NAME, progress } } }))
  show(0)
  try {
    const timeline = timelineOf(getState())
    if (timeline.laid.frames < 1) throw new AppError('mix/empty', {})
    const parts = await measuredParts(timeline, signal, (share) => show(0.6 * share))
    const { clip, facts, clipText } = await mixed(signal, (share) => show(0.6 + 0.4 * share))
    const { tempoLine } = timeline.arrangement
    const tempi = tempoLine.map(({ bpm }) => Math.round(bpm * 100) / 100)
    const [least, most] = [Math.min(...tempi), Math.max(...tempi)]
    const html = mixReportHtml({
      title: 'Timeline',
      facts: [
        countedText(getState().history.present.parts.length, 'part'),
        timeText(timeline.laid.frames / timeline.rate),
        `${least === most ? least : `${least} to ${most}`} BPM`,
        facts,
      ].join(', '),
      date: new Date().toLocaleDateString('en-GB', { year: 'numeric', month: 'long', day: 'numeric' }),
      clip,
      clipText,
      parts: parts.sort((a, b) => harm(b) - harm(a)),
    })
    signal.throwIfAborted()
    saveFile(new Blob([html], { type: 'text/html' }), NAME)
    notify({ tone: 'plain', text: `${NAME} written: it opens in any browser, without a network` })
  } catch (error) {
    if (!signal.aborted) tell(error)
  } finally {
    stop = undefined
    setState(({ exports: { [MIX_REPORT]: _, ...others } }) => ({ exports: others }))
  }
}

/** What is heard comes before what is only measured; what could not be measured comes last. */
const harm = ({ measurement }: MixReportPart) =>
  !measurement ? Number.NEGATIVE_INFINITY : harmOf(measurement) + (isHeard(measurement) ? HEARD : 0)
const HEARD = 1e6
const isHeard = (measurement: Measurement) => findingsOf(measurement).length > 0

/** Every part with what was measured of it; those that are alike are one. */
async function measuredParts(
  { laid, rate, metre, tempo }: Timeline,
  signal: AbortSignal,
  show: (share: number) => void,
): Promise<MixReportPart[]> {
  const { history, knowledge } = getState()
  const { present: session } = history
  const found = new Map<string, Laid>()
  for (const own of laid.parts) {
    const part = session.parts.find(({ id }) => id === own.part.id)
    const source = session.sources.find(({ id }) => id === own.part.source)
    const facts = source && partFacts(source)
    if (!part || !source || !facts) continue
    const { kind } = kindOf(source, knowledge[source.id])
    const strain = strainOf(own, naturalRange(kind ?? 'unsure'))
    const stretch = Math.sqrt(strain.least * strain.most)
    const key = partTrialKey(source, part, stretch)
    const before = found.get(key)
    const { bar, beat } = metre.barAt(tempo.beatAt(own.from / rate) + FRAME_BEATS)
    const told = before?.told ?? {
      source: source.name,
      row: session.rows.find(({ id }) => id === part.row)?.name ?? '',
      place: `bar ${bar + 1}.${Math.floor(beat) + 1}, ${timeText(own.from / rate)} to ${timeText(own.to / rate)}`,
      recipe: heardRecipe(source, part, stretch),
      stretches: [strain.least, strain.most] as const,
      strain: strain.words,
      sampleRate: facts.sampleRate,
      frames: facts.frames,
      alike: 0,
    }
    found.set(key, { source, part, stretch, told: { ...told, alike: told.alike + 1 } })
  }
  let done = 0
  return Promise.all(
    [...found.values()].map(async ({ source, part, stretch, told }) => {
      const measurement = await measured(source, part, stretch, signal)
      show(++done / found.size)
      return { ...told, ...measurement }
    }),
  )
}

/** A part that is to be measured, and what is told of it. */
interface Laid {
  readonly source: Source
  readonly part: TimelinePart
  readonly stretch: number
  readonly told: Omit<MixReportPart, 'measurement' | 'trouble'>
}

async function measured(
  source: Source,
  part: TimelinePart,
  stretch: number,
  signal: AbortSignal,
): Promise<Pick<MixReportPart, 'measurement' | 'trouble'>> {
  try {
    const sound = await soundFor(source)
    return { measurement: (await trialOf(source, part, stretch, sound, { signal, rank: 1 })).measurement }
  } catch (error) {
    signal.throwIfAborted()
    return { measurement: undefined, trouble: errorText(error) }
  }
}

/** The mix as it is exported, as much of it as a page can carry, and how loud all of it is. */
async function mixed(signal: AbortSignal, show: (share: number) => void) {
  const item = itemOf(getState(), 'mix')
  if (!item) throw new AppError('mix/empty', {})
  const settings: ExportSettings = { ...FIRST_EXPORT, container: 'mp3', kbps: CLIP_KBPS, tags: false }
  const draft = await makeDraft(item, { settings, today: today(), signal, show: (share) => show(0.8 * share) })
  const { facts } = await pool.run<'decode'>({ kind: 'decode', blob: draft.blob, file: 'mix.wav' }, { signal, rank: 1 })
  const most = Math.round(CLIP_SECONDS * draft.rate)
  const isLong = draft.frames > most
  const { blob } = await pool.run<'deliver'>(
    {
      kind: 'deliver',
      draft: draft.blob,
      delivery: draft.delivery,
      said: { markers: 'drop', tags: {}, seed: draft.seed },
      ...(isLong && { frames: most }),
      folder: undefined,
    },
    { signal, rank: 1 },
  )
  show(1)
  const level = Number.isFinite(facts.loudness) ? `${dbText(facts.loudness)} LUFS` : 'silent'
  return {
    clip: { url: await dataUrl(new Blob([blob], { type: 'audio/mpeg' })), overview: facts.overview },
    facts: `${level}, peak ${peakText(facts.peak)}`,
    clipText: `${isLong ? `The first ${CLIP_SECONDS / 60} minutes` : 'All of it'} as MP3, ${CLIP_KBPS} kbit/s. The waveform is of the whole mix.`,
  }
}
