import {
  type Analysis,
  type AudioBlock,
  addLevels,
  analyseTask,
  createLoudnessMeter,
  createOverviewBuilder,
  createSurvey,
  detectAttacks,
  emptyLevels,
  exportPieceTask,
  frameCount,
  joinSurveys,
  know,
  knowRhythm,
  knowTones,
  type Levels,
  measureSpan,
  openRendering,
  outlineOf,
  peakOf,
  piecesBetween,
  planExportTask,
  planOf,
  type ReadPart,
  type Rendering,
  readSource,
  readTask,
  renderSpan,
  type SoundSource,
  type SourceReading,
  type Spectrogram,
  type SurveyedSound,
  type SurveyPart,
  silence,
  sourceVoice,
  spectrogramTask,
  type Task,
  type Traits,
  type Trial,
  tellingSpan,
  traitsOf,
  trialTask,
  writeWav,
} from '../core'
import { toWire } from '../host/errorWire'
import { runTask } from '../host/runTask'
import {
  type FileFacts,
  type Job,
  type JobMessage,
  type JobReport,
  type JobResults,
  KEPT_SECONDS,
  type SoundFacts,
} from './jobProtocol'
import { readFile, readSound } from './readFile'
import { openScratch } from './scratch'
import { sharedCopy, sharedSamples } from './sharedMemory'
import { isInMemory, openSound, type Sound, soundInMemory, withLevels } from './sound'

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
    const { decoded, hash, taggedBpm } = await readFile(job.blob, job.file)
    const { sound } = decoded
    const levels = isInMemory(sound) ? undefined : emptyLevels(sound)
    const facts = await runTask(surveyTask(openSound(sound), levels), options)
    return { decoded: { ...decoded, sound: withLevels(sound, sharedLevels(levels)) }, facts, hash, taggedBpm }
  }
  if (job.kind === 'open') return (await readSound(job.blob, job.file)).sound
  if (job.kind === 'survey') return runTask(surveyTask(openSound(job.sound)), options)
  if (job.kind === 'knowRhythm') return runTask(knowRhythm(openSound(job.sound), job.options), options)
  if (job.kind === 'attacksAt') {
    return runTask(detectAttacks(openSound(job.sound), { sensitivity: job.sensitivity }), options)
  }
  if (job.kind === 'knowTones') return runTask(knowTones(openSound(job.sound)), options)
  if (job.kind === 'gather') return gather(job, options)
  if (job.kind === 'analyse') return runTask(analyseTask(openSound(job.sound), job.needs, job.known), options)
  if (job.kind === 'render') return render(job, options)
  if (job.kind === 'outline') {
    const { seams, map } = outlineOf(openSound(job.sound), job.recipe, job.analysis)
    return piecesBetween(seams, map.outputFrames)
  }
  if (job.kind === 'renderPiece') return sharedPart((await draw(job, options)).part())
  if (job.kind === 'joinSurveys') return sharedFacts(joinSurveys(job.of, job.parts))
  if (job.kind === 'measure') return measure(job, options)
  if (job.kind === 'spectrogram') return spectrogram(job, options)
  if (job.kind === 'clip') return clip(job, options)
  if (job.kind === 'planExport') return runTask(planExportTask(openSound(job.sound), job.order, job.analysis), options)
  return exportPiece(job, options)
}

async function exportPiece(
  { sound, order, plan, piece, folder }: Extract<Job, { kind: 'exportPiece' }>,
  options: Options,
): Promise<JobResults['exportPiece']> {
  const scratch = await openScratch(folder)
  try {
    const task = exportPieceTask(openSound(sound), order, plan, piece, scratch.write)
    const facts = await runTask(task, options)
    return { blob: await scratch.finish(), facts }
  } catch (error) {
    await scratch.discard()
    throw error
  }
}

async function render(
  { sound, recipe, analysis = {}, keep }: Extract<Job, { kind: 'render' }>,
  options: Options,
): Promise<JobResults['render']> {
  const frames = planOf(recipe, sound, analysis.attacks).map.outputFrames
  const kept = keep && frames <= KEPT_SECONDS * sound.sampleRate
  const into = kept ? Array.from({ length: sound.channelCount }, () => sharedSamples(frames)) : []
  const survey = await draw({ sound, recipe, analysis, frames, span: { from: 0, to: frames }, into }, options)
  return {
    facts: sharedFacts(survey.finish()),
    result: kept ? soundInMemory({ sampleRate: sound.sampleRate, channels: into }) : undefined,
  }
}

/** Survey a span of a result, and lay its samples where there is room for them. */
async function draw(
  { sound, recipe, analysis, frames, span, into }: Omit<Extract<Job, { kind: 'renderPiece' }>, 'kind'>,
  options: Options,
) {
  const survey = createSurvey({ ...sizeOf(sound), frames }, span)
  let at = span.from
  const sink = (block: readonly Float32Array[], count: number) => {
    survey.add(block, count)
    into.forEach((channel, c) => {
      channel.set((block[c] as Float32Array).subarray(0, count), at)
    })
    at += count
  }
  const { voice } = openRendering(openSound(sound), recipe, analysis)
  await runTask(readTask(voice, sound.channelCount, span, sink), options)
  return survey
}

const sizeOf = ({ frames, sampleRate, channelCount }: Sound | SoundSource): SurveyedSound => ({
  frames,
  sampleRate,
  channelCount,
})

/** of a sound that stays in its file, no more than this is measured at once */
const MOST_SOURCE_SECONDS = 180

async function measure(
  { sound, result, recipe, analysis, readingKey, ...asked }: Extract<Job, { kind: 'measure' }>,
  options: Options,
): Promise<Trial> {
  const { map, stretch } = planOf(recipe, sound, analysis.attacks)
  const source = openSound(sound)
  const most = isInMemory(sound) ? asked.seconds : Math.max(1, MOST_SOURCE_SECONDS * stretch)
  const seconds = Math.min(most, asked.seconds)
  const attacks = (analysis.attacks ?? []).map(({ frame }) => frame)
  const span = result
    ? { from: 0, to: map.outputFrames }
    : tellingSpan(source, map, attacks, seconds, keptTraits(readingKey))
  const whole = span.from === 0 && span.to === map.outputFrames
  const reading = whole ? await readingOf(source, readingKey, analysis, options) : undefined
  if (!result) return runTask(trialTask(source, recipe, span, analysis, reading, partReader(readingKey)), options)
  const task = measureSpan(source, { audio: allOf(result), from: 0 }, recipe, span, analysis.attacks, reading)
  return { span, measurement: await runTask(task, options) }
}

/** Samples that were kept. */
const allOf = (sound: Sound): AudioBlock => openSound(sound).part(0, sound.frames)

const CLIP_FADE_SECONDS = 0.005

async function clip(
  { sound, recipe, analysis, from, to, gain }: Extract<Job, { kind: 'clip' }>,
  options: Options,
): Promise<JobResults['clip']> {
  const source = openSound(sound)
  const part = recipe
    ? await runTask(renderSpan(source, recipe, { from, to }, analysis), options)
    : copyOf(source.part(from, to))
  const frames = frameCount(part)
  const fade = Math.max(1, Math.min(Math.round(CLIP_FADE_SECONDS * sound.sampleRate), frames >> 1))
  for (const channel of part.channels) {
    for (let i = 0; i < frames; i++)
      channel[i] = (channel[i] as number) * gain * Math.min(1, (i + 1) / fade, (frames - i) / fade)
  }
  const overview = createOverviewBuilder(frames)
  overview.add(part.channels, frames)
  const bytes = writeWav(part, { format: '16', dither: true, seed: 1 })
  return { blob: new Blob([bytes], { type: 'audio/wav' }), overview: overview.finish() }
}

const copyOf = ({ sampleRate, channels }: AudioBlock): AudioBlock => ({
  sampleRate,
  channels: channels.map((channel) => channel.slice()),
})

const openedVoice = ({ voice, map }: Rendering) => ({ voice, frames: map.outputFrames })

/** what lies between two columns is read over when it is shorter than this many windows; beyond that it is skipped */
const READ_OVER_WINDOWS = 6

function spectrogram(
  { sound, recipe, analysis, from, to, columns, fftFrames }: Extract<Job, { kind: 'spectrogram' }>,
  options: Options,
): Promise<Spectrogram> {
  const source = openSound(sound)
  const { voice, frames } = recipe
    ? openedVoice(openRendering(source, recipe, analysis))
    : { voice: sourceVoice(source), frames: source.frames }
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
  const all = together ? silence(source.channelCount, last - first + 1) : []
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
  const size = { columns, fftFrames, sampleRate: source.sampleRate, channels: source.channelCount }
  return runTask(spectrogramTask(read, { from, to }, size), options)
}

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

let lastTraits: { readonly key: string; readonly traits: Traits } | undefined

/** What tells which part of a source to try: the last one's is kept, since other methods and values follow. */
const keptTraits = (key: string) => (source: SoundSource) => {
  if (lastTraits?.key !== key) lastTraits = { key, traits: traitsOf(source) }
  return lastTraits.traits
}

let lastReading: { readonly key: string; readonly reading: SourceReading } | undefined

/** What measures need to know of a source: the last one's is kept, since its other results follow. */
async function readingOf(
  source: SoundSource,
  key: string,
  analysis: Analysis,
  options: Options,
): Promise<SourceReading> {
  if (lastReading?.key !== key) {
    lastReading = undefined
    lastReading = { key, reading: await runTask(readSource(source.part(0, source.frames), analysis.attacks), options) }
  }
  return lastReading.reading
}

/** All that there is to know of a listed file. */
async function gather({ blob, file }: Extract<Job, { kind: 'gather' }>, options: Options): Promise<FileFacts> {
  const { decoded, hash, taggedBpm } = await readFile(blob, file)
  const { sound, container } = decoded
  const source = openSound(sound)
  const { peak, loudness } = levelOf(source)
  const knowledge = await runTask(know(source, { file, ...(taggedBpm !== undefined && { taggedBpm }) }), options)
  const { frames, sampleRate, channelCount: channels } = sound
  return { hash, frames, sampleRate, channels, container, peak, loudness, knowledge }
}

/** Of a long sound an overview is megabytes: the page would stop for a moment to take in a copy. */
function sharedFacts({ overview, ...rest }: SoundFacts): SoundFacts {
  const { low, high, rms } = overview
  return { ...rest, overview: { ...overview, low: sharedCopy(low), high: sharedCopy(high), rms: sharedCopy(rms) } }
}

const sharedLevels = (levels: Levels | undefined): Levels | undefined =>
  levels && { ...levels, peaks: sharedCopy(levels.peaks), energies: sharedCopy(levels.energies) }

function sharedPart({ overview, ...rest }: SurveyPart): SurveyPart {
  const { low, high, power } = overview
  return { ...rest, overview: { ...overview, low: sharedCopy(low), high: sharedCopy(high), power: sharedCopy(power) } }
}

const SURVEY_FRAMES = 1 << 16

/** A sound in parts that are read one after the other. */
function* partsOf(
  source: SoundSource,
  frames = SURVEY_FRAMES,
): Generator<{ readonly channels: readonly Float32Array[]; readonly from: number; readonly to: number }> {
  for (let from = 0; from < source.frames; from += frames) {
    const to = Math.min(source.frames, from + frames)
    yield { channels: source.part(from, to).channels, from, to }
  }
}

/** The level of a sound that is not drawn. */
function levelOf(source: SoundSource) {
  const meter = createLoudnessMeter(source.sampleRate, source.channelCount)
  let peak = 0
  for (const { channels } of partsOf(source)) {
    meter.add(channels, channels[0]?.length ?? 0)
    peak = Math.max(peak, peakOf(channels))
  }
  return { peak, loudness: meter.finish() }
}

/** steps of levels that are looked at together */
const STEPS_AT_ONCE = 60

/** @param levels  to be found out along with it, where nobody else may look through the whole sound. */
function* surveyTask(source: SoundSource, levels?: Levels): Task<SoundFacts> {
  const survey = createSurvey(sizeOf(source))
  const step = levels?.stepFrames ?? 1
  for (const { channels, from, to } of partsOf(source, levels && step * STEPS_AT_ONCE)) {
    survey.add(channels, channels[0]?.length ?? 0)
    if (levels) addLevels(levels, from / step, channels)
    yield { doneFrames: to, totalFrames: source.frames }
  }
  return sharedFacts(survey.finish())
}
