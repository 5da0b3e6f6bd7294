import {
  analyseTask,
  contestTask,
  detectAttacks,
  emptyLevels,
  givingTask,
  joinSurveys,
  knowRhythm,
  knowTones,
  type Levels,
  piecesBetween,
  planExportTask,
  planOf,
  seamsOfPlan,
} from '../core'
import { toWire } from '../host/errorWire'
import { runTask } from '../host/runTask'
import { taggedTempo } from '../host/taggedTempo'
import type { Job, JobMessage, JobReport, JobResults } from './jobProtocol'
import { batchFile } from './jobs/batching'
import { deliver } from './jobs/delivering'
import { look, measure } from './jobs/measuring'
import { mix } from './jobs/mixing'
import type { JobOptions as Options } from './jobs/options'
import { clip, spectrogram } from './jobs/picturing'
import { comings, glance, imprint, moments, span, take } from './jobs/playing'
import { draw, exportPiece, render } from './jobs/rendering'
import { gather, levelsTask, sharedFacts, sharedLevels, sharedPart, surveyTask } from './jobs/surveying'
import { readFile, readSound } from './readFile'
import { isLow } from './ring'
import { bytesOf, isInMemory, leadSound, openSound, withLevels } from './sound'

const running = new Map<number, AbortController>()
/** work in the background leaves some of the time to others */
let gentleMs = 0
/** the counters of the ring that sound is played from */
let ring: { readonly control: Int32Array } | undefined
/** jobs that are to wait where they are: what they wait for, and how to let them go on */
const resting = new Map<number, { readonly over: Promise<void>; readonly end: () => void }>()
const report = (message: JobReport) => postMessage(message)

self.onmessage = async ({ data }: MessageEvent<JobMessage>) => {
  if (data.type === 'gentle') {
    gentleMs = data.restMs
    return
  }
  if (data.type === 'beside') {
    ring = { control: new Int32Array(data.control) }
    return
  }
  if (data.type !== 'run') {
    steer(data)
    return
  }
  const { jobId, job, background } = data
  const stop = new AbortController()
  running.set(jobId, stop)
  try {
    const result = await run(job, {
      signal: stop.signal,
      onProgress: (progress) => report({ type: 'progress', jobId, progress }),
      rest: () =>
        resting.get(jobId)?.over ?? untilWritten() ?? (gentleMs > 0 && background ? aWhile(gentleMs) : undefined),
    })
    report({ type: 'done', jobId, result })
  } catch (error) {
    report(stop.signal.aborted ? { type: 'cancelled', jobId } : { type: 'failed', jobId, error: toWire(error) })
  } finally {
    running.delete(jobId)
    resting.delete(jobId)
  }
}

/** Let a job wait where it is, go on, or end. */
function steer({ type, jobId }: Extract<JobMessage, { type: 'pause' | 'resume' | 'cancel' }>) {
  if (type === 'pause') {
    if (!running.has(jobId) || resting.has(jobId)) return
    const { promise: over, resolve: end } = Promise.withResolvers<void>()
    resting.set(jobId, { over, end })
    return
  }
  if (type === 'cancel') running.get(jobId)?.abort()
  resting.get(jobId)?.end()
  resting.delete(jobId)
}

/** While little sound is written, work waits; but not for ever on a machine that is too slow. */
function untilWritten(): Promise<void> | undefined {
  const own = ring
  if (!own || !isLow(own)) return undefined
  return (async () => {
    for (let waits = 0; waits < MOST_WAITS && isLow(own); waits++) await aWhile()
  })()
}
const MOST_WAITS = 20

/** about as long as a task runs between two breaths */
const aWhile = (ms = 12) => new Promise<void>((resolve) => setTimeout(resolve, ms))

async function run(job: Job, options: Options): Promise<JobResults[keyof JobResults]> {
  if (job.kind === 'decode') {
    const { decoded, hash, taggedBpm } = await readFile(job.blob, job.file)
    const { sound } = decoded
    const levels = isInMemory(sound) ? undefined : emptyLevels(sound)
    const facts = await runTask(surveyTask(openSound(sound), levels), options)
    return { decoded: { ...decoded, sound: withLevels(sound, sharedLevels(levels)) }, facts, hash, taggedBpm }
  }
  if (job.kind === 'open') return (await readSound(job.blob, job.file, job.most)).sound
  if (job.kind === 'taggedTempo') return taggedTempo(bytesOf(job.blob, job.file))
  if (job.kind === 'levels') return sharedLevels(await runTask(levelsTask(openSound(job.sound)), options)) as Levels
  if (job.kind === 'survey') return runTask(surveyTask(openSound(job.sound)), options)
  if (job.kind === 'knowRhythm') return runTask(knowRhythm(openSound(job.sound), job.options), options)
  if (job.kind === 'attacksAt') {
    return runTask(detectAttacks(openSound(job.sound), { sensitivity: job.sensitivity }), options)
  }
  if (job.kind === 'knowTones') return runTask(knowTones(openSound(job.sound)), options)
  if (job.kind === 'gather') return gather(job, options)
  if (job.kind === 'analyse')
    return runTask(analyseTask(openSound(leadSound(job.sound)), job.needs, job.known), options)
  if (job.kind === 'render') return render(job, options)
  if (job.kind === 'outline') {
    const source = openSound(job.sound)
    const plan = planOf(job.recipe, source, job.analysis.attacks)
    return piecesBetween(seamsOfPlan(source, plan, job.analysis), plan.map.outputFrames)
  }
  if (job.kind === 'renderPiece') return sharedPart((await draw(job, options)).part())
  if (job.kind === 'joinSurveys') return sharedFacts(joinSurveys(job.of, job.parts))
  if (job.kind === 'measure') return measure(job, options)
  if (job.kind === 'contest') return runTask(contestTask(openSound(job.sound), job.lanes, job.analysis), options)
  if (job.kind === 'look') return look(job, options)
  if (job.kind === 'giving') return runTask(givingTask(openSound(job.sound), job.known), options)
  if (job.kind === 'spectrogram') return spectrogram(job, options)
  if (job.kind === 'clip') return clip(job, options)
  if (job.kind === 'mix') return mix(job, options)
  if (job.kind === 'span') return span(job, options)
  if (job.kind === 'glance') return glance(job, options)
  if (job.kind === 'comings') return comings(job)
  if (job.kind === 'moments') return moments(job, options)
  if (job.kind === 'take') return take(job, options)
  if (job.kind === 'imprint') return imprint(job, options)
  if (job.kind === 'planExport') return runTask(planExportTask(openSound(job.sound), job.order, job.analysis), options)
  if (job.kind === 'deliver') return deliver(job, options)
  if (job.kind === 'batchFile') return batchFile(job, options)
  return exportPiece(job, options)
}
