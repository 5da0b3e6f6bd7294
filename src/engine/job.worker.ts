import {
  type Analysis,
  type AudioBlock,
  analyseTask,
  createLoudnessMeter,
  createOverviewBuilder,
  createSurvey,
  exportPieceTask,
  frameCount,
  joinSurveys,
  know,
  knowRhythm,
  knowTones,
  measureSpan,
  openRendering,
  outlineOf,
  peakOf,
  piecesBetween,
  planExportTask,
  planOf,
  type ReadPart,
  type Rendering,
  type Room,
  readSource,
  readTask,
  renderSpan,
  type SourceReading,
  type Spectrogram,
  type SurveyedSound,
  type SurveyPart,
  sourceVoice,
  spectrogramTask,
  type Task,
  type Trial,
  tellingSpan,
  trialTask,
  writeWav,
} from '../core'
import { decodeFile } from '../host/decodeFile'
import { toWire } from '../host/errorWire'
import { runTask } from '../host/runTask'
import { taggedTempo } from '../host/taggedTempo'
import { decodeM4a } from './decodeM4a'
import {
  type Job,
  type JobMessage,
  type JobReport,
  type JobResults,
  KEPT_SECONDS,
  type SoundFacts,
} from './jobProtocol'

const running = new Map<number, AbortController>()
/** work in the background leaves half of the time to others */
let gentle = false
/** jobs that are to wait where they are: what they wait for, and how to let them go on */
const resting = new Map<number, { readonly over: Promise<void>; readonly end: () => void }>()
const report = (message: JobReport) => postMessage(message)

self.onmessage = async ({ data }: MessageEvent<JobMessage>) => {
  if (data.type === 'gentle') {
    gentle = data.on
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
      rest: () => resting.get(jobId)?.over ?? (gentle && background ? aWhile() : undefined),
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

/** about as long as a task runs between two breaths */
const aWhile = () => new Promise<void>((resolve) => setTimeout(resolve, 12))

type Options = Parameters<typeof runTask>[1]

async function run(job: Job, options: Options): Promise<JobResults[keyof JobResults]> {
  if (job.kind === 'decode') {
    const { decoded, hash, taggedBpm } = await openFile(job.blob, job.file, sharedSamples)
    const audio = shared(decoded.audio)
    return { decoded: { ...decoded, audio }, facts: await runTask(surveyTask(audio), options), hash, taggedBpm }
  }
  if (job.kind === 'open') {
    const bytes = new Uint8Array(await job.blob.arrayBuffer())
    return shared((await decode(bytes, job.file, sharedSamples)).audio)
  }
  if (job.kind === 'survey') return runTask(surveyTask(job.audio), options)
  if (job.kind === 'knowRhythm') return runTask(knowRhythm(job.audio, job.options), options)
  if (job.kind === 'knowTones') return runTask(knowTones(job.audio), options)
  if (job.kind === 'gather') {
    const { decoded, hash, taggedBpm } = await openFile(job.blob, job.file)
    const { audio, container } = decoded
    const { frames, peak, loudness } = levelOf(audio)
    const knowledge = await runTask(
      know(audio, { file: job.file, ...(taggedBpm !== undefined && { taggedBpm }) }),
      options,
    )
    const { sampleRate } = audio
    return { hash, frames, sampleRate, channels: audio.channels.length, container, peak, loudness, knowledge }
  }
  if (job.kind === 'analyse') return runTask(analyseTask(job.audio, job.needs, job.known), options)
  if (job.kind === 'render') return render(job, options)
  if (job.kind === 'outline') {
    const { seams, map } = outlineOf(job.audio, job.recipe, job.analysis)
    return piecesBetween(seams, map.outputFrames)
  }
  if (job.kind === 'renderPiece') return sharedPart((await draw(job, options)).part())
  if (job.kind === 'joinSurveys') return sharedFacts(joinSurveys(job.sound, job.parts))
  if (job.kind === 'measure') return measure(job, options)
  if (job.kind === 'spectrogram') return spectrogram(job, options)
  if (job.kind === 'clip') return clip(job, options)
  if (job.kind === 'planExport') return runTask(planExportTask(job.audio, job.order, job.analysis), options)
  return exportPiece(job, options)
}

/** bytes that may lie in arrays: blobs may leave the memory, arrays may not */
const MOST_LOOSE_BYTES = 2 ** 23

async function exportPiece(
  { audio, order, plan, piece }: Extract<Job, { kind: 'exportPiece' }>,
  options: Options,
): Promise<JobResults['exportPiece']> {
  const parts: BlobPart[] = []
  let loose: Uint8Array<ArrayBuffer>[] = []
  let looseBytes = 0
  const write = (bytes: Uint8Array<ArrayBuffer>) => {
    loose.push(bytes)
    looseBytes += bytes.length
    if (looseBytes < MOST_LOOSE_BYTES) return
    parts.push(new Blob(loose))
    loose = []
    looseBytes = 0
  }
  const facts = await runTask(exportPieceTask(audio, order, plan, piece, write), options)
  return { blob: new Blob([...parts, ...loose]), facts }
}

async function render(
  { audio, recipe, analysis = {}, keep }: Extract<Job, { kind: 'render' }>,
  options: Options,
): Promise<JobResults['render']> {
  const frames = planOf(recipe, sizeOf(audio), analysis.attacks).map.outputFrames
  const kept = keep && frames <= KEPT_SECONDS * audio.sampleRate
  const into = kept ? audio.channels.map(() => sharedSamples(frames)) : []
  const survey = await draw({ audio, recipe, analysis, frames, span: { from: 0, to: frames }, into }, options)
  return {
    facts: sharedFacts(survey.finish()),
    audio: kept ? { sampleRate: audio.sampleRate, channels: into } : undefined,
  }
}

/** Survey a span of a result, and lay its samples where there is room for them. */
async function draw(
  { audio, recipe, analysis, frames, span, into }: Omit<Extract<Job, { kind: 'renderPiece' }>, 'kind'>,
  options: Options,
) {
  const survey = createSurvey(surveyed(audio, frames), span)
  let at = span.from
  const sink = (block: readonly Float32Array[], count: number) => {
    survey.add(block, count)
    into.forEach((channel, c) => {
      channel.set((block[c] as Float32Array).subarray(0, count), at)
    })
    at += count
  }
  await runTask(readTask(openRendering(audio, recipe, analysis).voice, audio.channels.length, span, sink), options)
  return survey
}

const surveyed = ({ sampleRate, channels }: AudioBlock, frames: number): SurveyedSound => ({
  frames,
  sampleRate,
  channelCount: channels.length,
})

async function measure(
  { audio, result, seconds, recipe, analysis, readingKey }: Extract<Job, { kind: 'measure' }>,
  options: Options,
): Promise<Trial> {
  const { map } = planOf(recipe, sizeOf(audio), analysis.attacks)
  const attacks = (analysis.attacks ?? []).map(({ frame }) => frame)
  const span = result ? { from: 0, to: map.outputFrames } : tellingSpan(audio, map, attacks, seconds)
  const whole = span.from === 0 && span.to === map.outputFrames
  const reading = whole ? await readingOf(audio, readingKey, analysis, options) : undefined
  if (!result) return runTask(trialTask(audio, recipe, span, analysis, reading, partReader(readingKey)), options)
  const task = measureSpan(audio, { audio: result, from: 0 }, recipe, span, analysis.attacks, reading)
  return { span, measurement: await runTask(task, options) }
}

const CLIP_FADE_SECONDS = 0.005

async function clip(
  { audio, recipe, analysis, from, to, gain }: Extract<Job, { kind: 'clip' }>,
  options: Options,
): Promise<JobResults['clip']> {
  const part = recipe
    ? await runTask(renderSpan(audio, recipe, { from, to }, analysis), options)
    : { ...audio, channels: audio.channels.map((channel) => channel.slice(from, to)) }
  const frames = frameCount(part)
  const fade = Math.max(1, Math.min(Math.round(CLIP_FADE_SECONDS * audio.sampleRate), frames >> 1))
  for (const channel of part.channels) {
    for (let i = 0; i < frames; i++)
      channel[i] = (channel[i] as number) * gain * Math.min(1, (i + 1) / fade, (frames - i) / fade)
  }
  const overview = createOverviewBuilder(frames)
  overview.add(part.channels, frames)
  const bytes = writeWav(part, { format: '16', dither: true, seed: 1 })
  return { blob: new Blob([bytes], { type: 'audio/wav' }), overview: overview.finish() }
}

const openedVoice = ({ voice, map }: Rendering) => ({ voice, frames: map.outputFrames })

/** what lies between two columns is read over when it is shorter than this many windows; beyond that it is skipped */
const READ_OVER_WINDOWS = 6

function spectrogram(
  { audio, recipe, analysis, from, to, columns, fftFrames }: Extract<Job, { kind: 'spectrogram' }>,
  options: Options,
): Promise<Spectrogram> {
  const { voice, frames } = recipe
    ? openedVoice(openRendering(audio, recipe, analysis))
    : { voice: sourceVoice(audio), frames: frameCount(audio) }
  /** what lies before the start and beyond the end is silence */
  const readWithin = (frame: number, out: readonly Float32Array[]) => {
    const length = out[0]?.length ?? 0
    const start = Math.min(length, Math.max(0, -frame))
    const end = Math.max(start, Math.min(length, frames - frame))
    for (const channel of out) channel.fill(0)
    if (end > start)
      voice.read(
        frame + start,
        out.map((channel) => channel.subarray(start, end)),
      )
  }
  const hop = (to - from) / columns
  // columns that lie close are cut from what was read once; a voice that carries state is best read on
  const first = Math.round(from + hop / 2) - fftFrames / 2
  const last = Math.round(to - hop / 2) + fftFrames / 2
  const together = hop < READ_OVER_WINDOWS * fftFrames
  const all = together ? audio.channels.map(() => new Float32Array(last - first + 1)) : []
  let readTo = first
  const read = (frame: number, out: readonly Float32Array[]) => {
    const length = out[0]?.length ?? 0
    if (!together) {
      readWithin(frame, out)
      return
    }
    const upTo = Math.min(last + 1, frame + length)
    if (upTo > readTo) {
      readWithin(
        readTo,
        all.map((channel) => channel.subarray(readTo - first, upTo - first)),
      )
      readTo = upTo
    }
    out.forEach((channel, c) => {
      channel.set((all[c] as Float32Array).subarray(frame - first, frame - first + length))
    })
  }
  const size = { columns, fftFrames, sampleRate: audio.sampleRate, channels: audio.channels.length }
  return runTask(spectrogramTask(read, { from, to }, size), options)
}

const sizeOf = (audio: AudioBlock) => ({ frames: frameCount(audio), sampleRate: audio.sampleRate })

let lastPart: { readonly key: string; readonly reading: SourceReading } | undefined

/** Reads a part of a source; the last one's is kept, since other methods are tried on the same part. */
const partReader = (readingKey: string): ReadPart =>
  function* (source, attacks, start) {
    const key = `${readingKey} ${start} ${frameCount(source)}`
    if (lastPart?.key !== key) {
      lastPart = undefined
      lastPart = { key, reading: yield* readSource(source, attacks) }
    }
    return lastPart.reading
  }

let lastReading: { readonly key: string; readonly reading: SourceReading } | undefined

/** What measures need to know of a source: the last one's is kept, since its other results follow. */
async function readingOf(audio: AudioBlock, key: string, analysis: Analysis, options: Options): Promise<SourceReading> {
  if (lastReading?.key !== key) {
    lastReading = undefined
    lastReading = { key, reading: await runTask(readSource(audio, analysis.attacks), options) }
  }
  return lastReading.reading
}

const decode = (bytes: Uint8Array, file: string, room?: Room) =>
  decodeFile(bytes, file, { M4A: decodeM4a, AAC: decodeM4a }, room)

async function openFile(blob: Blob, file: string, room?: Room) {
  const bytes = new Uint8Array(await blob.arrayBuffer())
  const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', bytes))
  const hash = [...digest].map((byte) => byte.toString(16).padStart(2, '0')).join('')
  const taggedBpm = await taggedTempo(bytes)
  const decoded = await decode(bytes, file, room)
  return { decoded, hash, taggedBpm }
}

const sharedSamples = (frames: number) => new Float32Array(new SharedArrayBuffer(4 * frames))

function sharedCopy(samples: Float32Array) {
  if (samples.buffer instanceof SharedArrayBuffer) return samples
  const copy = sharedSamples(samples.length)
  copy.set(samples)
  return copy
}

/** The same sound in memory that all workers can see. */
function shared(audio: AudioBlock): AudioBlock {
  return {
    sampleRate: audio.sampleRate,
    channels: audio.channels.map(sharedCopy),
  }
}

/** Of a long sound an overview is megabytes: the page would stop for a moment to take in a copy. */
function sharedFacts({ overview, ...rest }: SoundFacts): SoundFacts {
  const { low, high, rms } = overview
  return { ...rest, overview: { ...overview, low: sharedCopy(low), high: sharedCopy(high), rms: sharedCopy(rms) } }
}

function sharedPart({ overview, ...rest }: SurveyPart): SurveyPart {
  const { low, high, power } = overview
  return { ...rest, overview: { ...overview, low: sharedCopy(low), high: sharedCopy(high), power: sharedCopy(power) } }
}

/** The level of a sound that is not drawn. */
function levelOf(audio: AudioBlock) {
  const frames = frameCount(audio)
  const meter = createLoudnessMeter(audio.sampleRate, audio.channels.length)
  meter.add(audio.channels, frames)
  return { frames, peak: peakOf(audio.channels), loudness: meter.finish() }
}

const SURVEY_FRAMES = 16_384

function* surveyTask(audio: AudioBlock): Task<SoundFacts> {
  const totalFrames = frameCount(audio)
  const survey = createSurvey(surveyed(audio, totalFrames))
  for (let at = 0; at < totalFrames; at += SURVEY_FRAMES) {
    const count = Math.min(SURVEY_FRAMES, totalFrames - at)
    survey.add(
      audio.channels.map((channel) => channel.subarray(at, at + count)),
      count,
    )
    yield { doneFrames: at + count, totalFrames }
  }
  return sharedFacts(survey.finish())
}
