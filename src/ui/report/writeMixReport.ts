import { AppError, gradeOfArtefact, harmOf, type Measurement, naturalRange, type SampleFormat } from '../../core'
import { scratchFolder } from '../../engine'
import { errorText } from '../../host/errorText'
import { deliveryOfSettings, FIRST_EXPORT, kindOf, partFacts, type Source } from '../../session'
import { countedText, dbText, peakText, timeText } from '../common/formats'
import { saveFile } from '../common/saveFile'
import { pool } from '../session/state/engine'
import { notify, tell } from '../session/state/notices'
import { store } from '../session/state/store'
import { openedFor, type Timeline, timelineOf } from '../session/timeline/mixing'
import { heardRecipe, partTrialKey, trialOf } from '../session/timeline/partTrials'
import { gathered, writeMix } from '../session/timeline/writeMix'
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
    const { clip, facts, clipText } = await mixed(timeline, signal, (share) => show(0.6 + 0.4 * share))
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
const isHeard = ({ artefacts }: Measurement) =>
  artefacts.some((artefact) => gradeOfArtefact(artefact) !== 'not audible')

/** Every part with what was measured of it; those that are alike are one. */
async function measuredParts(
  { laid, rate, metre, tempo }: Timeline,
  signal: AbortSignal,
  show: (share: number) => void,
): Promise<MixReportPart[]> {
  const { history, knowledge } = getState()
  const { present: session } = history
  const found = new Map<string, MixReportPart>()
  for (const [n, own] of laid.parts.entries()) {
    signal.throwIfAborted()
    const part = session.parts.find(({ id }) => id === own.part.id)
    const source = session.sources.find(({ id }) => id === own.part.source)
    const facts = source && partFacts(source)
    if (!part || !source || !facts) continue
    const { kind } = kindOf(source, knowledge[source.id])
    const strain = strainOf(own, naturalRange(kind ?? 'unsure'))
    const stretch = Math.sqrt(strain.least * strain.most)
    const key = partTrialKey(source, part, stretch)
    const before = found.get(key)
    if (before) {
      found.set(key, { ...before, alike: before.alike + 1 })
      continue
    }
    const { bar, beat } = metre.barAt(tempo.beatAt(own.from / rate) + FRAME_BEATS)
    found.set(key, {
      source: source.name,
      row: session.rows.find(({ id }) => id === part.row)?.name ?? '',
      place: `bar ${bar + 1}.${Math.floor(beat) + 1}, ${timeText(own.from / rate)} to ${timeText(own.to / rate)}`,
      recipe: heardRecipe(source, part, stretch),
      stretches: [strain.least, strain.most],
      strain: strain.words,
      sampleRate: facts.sampleRate,
      frames: facts.frames,
      alike: 1,
      ...(await measured(source, part, stretch, signal)),
    })
    show((n + 1) / laid.parts.length)
  }
  return [...found.values()]
}

async function measured(
  source: Source,
  part: Parameters<typeof trialOf>[1],
  stretch: number,
  signal: AbortSignal,
): Promise<Pick<MixReportPart, 'measurement' | 'trouble'>> {
  try {
    const sound = openedFor(source)
    if (!sound) throw new AppError('storage/lost', { name: source.name })
    return { measurement: (await trialOf(source, part, stretch, sound, { signal, rank: 1 })).measurement }
  } catch (error) {
    signal.throwIfAborted()
    return { measurement: undefined, trouble: errorText(error) }
  }
}

/** The mix as it sounds, as much of it as a page can carry, and how loud all of it is. */
async function mixed(timeline: Timeline, signal: AbortSignal, show: (share: number) => void) {
  const { arrangement, laid, rate } = timeline
  const sounds = await gathered(arrangement)
  const made = async (to: number, format: SampleFormat, from: number, share: number) =>
    (
      await writeMix(
        { arrangement, order: { from: 0, to, rate, format }, sounds, what: { parts: true, clickGain: 0 } },
        signal,
        (progress) => show(from + share * progress),
      )
    ).blob
  const isLong = laid.frames > CLIP_SECONDS * rate
  const whole = await made(laid.frames, '24', 0, isLong ? 0.6 : 0.8)
  const { facts } = await pool.run<'decode'>({ kind: 'decode', blob: whole, file: 'mix.wav' }, { signal, rank: 1 })
  const heard = isLong ? await made(CLIP_SECONDS * rate, '24', 0.6, 0.2) : whole
  const delivery = deliveryOfSettings({ ...FIRST_EXPORT, container: 'mp3', kbps: CLIP_KBPS }, rate, {
    depth: '24',
    lufs: undefined,
  })
  const { blob } = await pool.run<'deliver'>(
    {
      kind: 'deliver',
      draft: heard,
      delivery,
      said: { markers: 'drop', tags: {}, seed: 1 },
      folder: heard.size > 2 ** 26 ? scratchFolder() : undefined,
    },
    { signal, rank: 1 },
  )
  show(1)
  const level = Number.isFinite(facts.loudness) ? `${dbText(facts.loudness)} LUFS` : 'silent'
  return {
    clip: { url: await dataUrl(new Blob([blob], { type: 'audio/mpeg' })), overview: facts.overview },
    facts: `${level}, peak ${peakText(facts.peak)}`,
    clipText: `${isLong ? `The first ${CLIP_SECONDS / 60} minutes` : 'All of it'} as MP3, ${CLIP_KBPS} kbit/s, without the click. The waveform is of the whole mix.`,
  }
}
