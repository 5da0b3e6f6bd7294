import { type Analysis, type Arrangement, dbToAmplitude, layMix } from '../../../core'
import { type Job, type JobResults, type Sound, scratchFolder } from '../../../engine'
import { depthOf, stemsOf } from '../../../session'
import { saveFile } from '../../common/saveFile'
import { analysisOf } from '../know/analyses'
import { pool, shelf } from '../state/engine'
import { notify, tell } from '../state/notices'
import { store } from '../state/store'
import { openedFor, sizesOf, timelineOf, usedSources } from './mixing'

/** The timeline as files: the mix, each row by itself, the click beside it. */

const { getState, setState } = store

/** what shows the work among the exports, and what stops it */
export const MIX_EXPORT = 'timeline mix'
let stop: AbortController | undefined

type MixSounds = Record<string, { readonly sound: Sound; readonly analysis: Analysis }>

/** All sounds of the timeline, with what the methods of their parts need. */
export async function gathered(arrangement: Arrangement): Promise<MixSounds> {
  const sounds: MixSounds = {}
  for (const source of usedSources(getState().history.present)) {
    const sound = openedFor(source) ?? (await shelf.open(source))
    let analysis = {}
    for (const { recipe } of arrangement.parts.filter((part) => part.source === source.id))
      analysis = { ...analysis, ...(await analysisOf(source, sound, recipe)) }
    sounds[source.id] = { sound, analysis }
  }
  return sounds
}

/** Write what lies on a timeline, or some of it, as one WAV file. @throws what the work failed by. */
export const writeMix = (
  mix: Omit<Extract<Job, { kind: 'mix' }>, 'kind' | 'folder'>,
  signal: AbortSignal,
  show: (progress: number) => void,
): Promise<JobResults['mix']> =>
  pool.run<'mix'>(
    { kind: 'mix', ...mix, folder: mix.order.to * 8 > 2 ** 26 ? scratchFolder() : undefined },
    { signal, rank: 0, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
  )

/** Write the mix, the rows that are heard, or the click, as deep as the outlook says; 24 bits where it says nothing. */
export async function exportMix(what: 'mix' | 'rows' | 'click') {
  if (stop) return
  const { arrangement, laid, rate } = timelineOf(getState())
  if (laid.frames < 1) {
    notify({ tone: 'plain', text: 'Nothing lies on the timeline yet' })
    return
  }
  const own = new AbortController()
  stop = own
  const { format, rate: chosenRate } = getState().outlook
  const hz = chosenRate === 'source' ? rate : Number(chosenRate)
  const { present: session } = getState().history
  const { frames } = layMix(arrangement, sizesOf(session), hz)
  const { click } = session
  const gain = dbToAmplitude(click.gainDb)
  const files =
    what === 'mix'
      ? [{ name: 'mix.wav', rows: undefined, parts: true, clickGain: click.inMix ? gain : 0 }]
      : what === 'click'
        ? [{ name: 'click.wav', rows: undefined, parts: false, clickGain: gain }]
        : stemsOf(session).map(({ row, file }) => ({ name: file, rows: [row], parts: true, clickGain: 0 }))
  const show = (name: string, progress: number) =>
    setState((state) => ({ exports: { ...state.exports, [MIX_EXPORT]: { name, progress } } }))
  show(files[0]?.name ?? '', 0)
  try {
    const sounds = await gathered(arrangement)
    for (const [n, file] of files.entries()) {
      const { blob, facts } = await writeMix(
        {
          arrangement,
          order: { from: 0, to: frames, rate: hz, format: format === 'source' ? '24' : depthOf(format, undefined) },
          sounds,
          what: { parts: file.parts, clickGain: file.clickGain, ...(file.rows && { rows: file.rows }) },
        },
        own.signal,
        (progress) => show(file.name, (n + progress) / files.length),
      )
      saveFile(blob, file.name)
      notify({ tone: 'plain', text: `${file.name} exported, ${(facts.frames / hz).toFixed(3)} s` })
      if (facts.clippedSamples > 0)
        notify({
          tone: 'trouble',
          text: `${facts.clippedSamples} samples of ${file.name} were over full scale and were limited. Lower its rows, or export 32-bit float.`,
        })
    }
  } catch (error) {
    if (!own.signal.aborted) tell(error)
  } finally {
    stop = undefined
    setState(({ exports: { [MIX_EXPORT]: _, ...others } }) => ({ exports: others }))
  }
}

export const cancelMixExport = () => stop?.abort()
