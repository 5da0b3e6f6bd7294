import { readdir, stat } from 'node:fs/promises'
import { basename, join, relative } from 'node:path'
import {
  AppError,
  finish,
  type Knowledge,
  type KnowOptions,
  keyName,
  know,
  knowledgeOf,
  knowRhythm,
  knowTones,
  soundSource,
  type Tones,
} from '../core'
import { errorText } from '../host/errorText'
import { acceptedEndings } from '../host/sniff'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { type OpenSound, openSent, readSound, type SentSound, sent, sourceOf } from './files'
import { offGridFound } from './offGrid'
import type { Terminal } from './terminal'
import { askThread, askThreads, threadsFrom } from './threads'

type Say = (line: string) => void

const round = (value: number, digits: number) => Number(value.toFixed(digits))

/** `analyse IN`: one sound, or every sound of a folder and the folders in it, a line each. */
export async function analyseSounds(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, ['sensitivity', 'workers'], ['json'])
  const [input] = places(args, ['IN']) as [string]
  const sensitivity = args.number('sensitivity') ?? 50
  if (!(sensitivity >= 0 && sensitivity <= 100)) throw new UsageError('--sensitivity takes 0 to 100')
  const options = { sensitivity: sensitivity / 100, json: args.flag('json'), threads: threadsFor(args), progress }
  if (await isFolder(input)) await analyseFolder(input, options, out, err)
  else {
    const { knowledge, sampleRate, warnings } = await knowFile(input, options)
    for (const warning of warnings) err(`zumbet: ${warning}`)
    if (options.json) out(JSON.stringify(plainForm(knowledge, sampleRate)))
    else tell(input, knowledge, sampleRate, out)
  }
}

/**
 * How many threads the work gets, by how much there is of it: as many as were asked for, whatever it is; else a second
 * one only where it is warm before the first is done.
 */
type Threads = (much: boolean) => number

function threadsFor(args: Arguments): Threads {
  const threads = threadsFrom(args)
  const asked = args.number('workers') !== undefined
  return (much) => (asked || much ? threads : 1)
}

async function isFolder(place: string): Promise<boolean> {
  return stat(place).then(
    (found) => found.isDirectory(),
    () => false,
  )
}

async function analyseFolder(
  folder: string,
  {
    sensitivity,
    json,
    threads,
    progress,
  }: { sensitivity: number; json: boolean; threads: Threads; progress: Terminal['progress'] },
  out: Say,
  err: Say,
) {
  const names = await readdir(folder, { recursive: true })
  const files = names
    .filter((name) => acceptedEndings.some((ending) => name.toLowerCase().endsWith(`.${ending}`)))
    .filter((name) => !basename(name).startsWith('.'))
    .sort()
  if (files.length === 0) throw new AppError('folder/no-sounds', { folder })
  let bad = 0
  let done = 0
  for await (const answer of knowFiles(
    files.map((name) => join(folder, name)),
    sensitivity,
    threads,
  )) {
    const { file } = answer
    progress(++done / files.length)
    for (const warning of answer.warnings) err(`zumbet: ${warning}`)
    if ('error' in answer) {
      // one bad file loses none of the others
      bad++
      if (json) out(JSON.stringify({ file: relative(folder, file), error: answer.error }))
      err(`zumbet: ${answer.error}`)
    } else if (json) {
      out(JSON.stringify({ file: relative(folder, file), ...plainForm(answer.knowledge, answer.sampleRate) }))
    } else out(`${relative(folder, file)}: ${inShort(answer.knowledge)}`)
  }
  if (bad === files.length) throw new AppError('folder/none-readable', { folder, files: files.length })
}

interface KnownFile {
  readonly knowledge: Knowledge
  readonly sampleRate: number
  readonly warnings: readonly string[]
}
type FileAnswer = { readonly file: string } & (
  | KnownFile
  | { readonly error: string; readonly warnings: readonly string[] }
)

/** less than this is done before a second thread is warm */
const FEW_BYTES = 32_000_000
/** a sound as long as this is worth a second thread */
const LONG_SECONDS = 30

/** What there is to know of many files, in their order; a file that cannot be read says why. */
async function* knowFiles(files: readonly string[], sensitivity: number, threads: Threads): AsyncGenerator<FileAnswer> {
  const count = threads((await bytesOf(files)) > FEW_BYTES)
  if (count > 1) {
    yield* askThreads<string, FileAnswer>('knowledge', { sensitivity }, files, count)
    return
  }
  const answerTo = serveKnowledge({ sensitivity })
  for (const file of files) yield await answerTo(file)
}

async function bytesOf(files: readonly string[]): Promise<number> {
  const sizes = await Promise.all(
    files.map((file) =>
      stat(file).then(
        ({ size }) => size,
        () => 0,
      ),
    ),
  )
  return sizes.reduce((sum, size) => sum + size, 0)
}

/** One file after another, as they are asked for. */
export function serveKnowledge({ sensitivity }: { readonly sensitivity: number }) {
  return async (file: string): Promise<FileAnswer> => {
    try {
      return { file, ...(await knowFile(file, { sensitivity, threads: () => 1 })) }
    } catch (error) {
      return { file, error: errorText(error), warnings: [] }
    }
  }
}

/** The tones of a sound, for a thread beside the one that finds its rhythm. */
export const serveTones = (given: SentSound) => (): Tones => finish(knowTones(openSent(given)))

export async function knowFile(
  file: string,
  {
    sensitivity,
    threads,
    progress,
  }: { readonly sensitivity?: number; readonly threads: Threads; readonly progress?: Terminal['progress'] },
): Promise<KnownFile> {
  const { sound, taggedBpm, warnings } = await readSound(file)
  const options: KnowOptions = {
    file: basename(file),
    ...(taggedBpm !== undefined && { taggedBpm }),
    ...(sensitivity !== undefined && { sensitivity }),
  }
  return {
    knowledge: await knowSound(sound, options, threads, progress),
    sampleRate: sourceOf(sound).sampleRate,
    warnings: warnings.map(({ code, details }) => errorText(new AppError(code, details))),
  }
}

/** The same answer whatever the threads; a long sound's two halves go side by side. */
async function knowSound(
  sound: OpenSound,
  options: KnowOptions,
  threads: Threads,
  progress: Terminal['progress'] = () => undefined,
): Promise<Knowledge> {
  const { frames, sampleRate } = soundSource(sourceOf(sound))
  if (threads(frames >= LONG_SECONDS * sampleRate) < 2) return drive(know(sourceOf(sound), options), progress)
  const both = sent(sound)
  const tones = askThread<Tones>('tones', both)
  const rhythm = drive(knowRhythm('pcmFile' in both ? sourceOf(sound) : both, options), progress)
  return knowledgeOf(rhythm, await tones)
}

/**
 * What `--json` prints; its shape is a contract (docs/analysis.md). Seconds everywhere; null where there is no answer.
 */
function plainForm(knowledge: Knowledge, sampleRate: number) {
  const { attacks, tempo, pitch, material, loop } = knowledge
  return {
    attacks: attacks.map(({ frame, strength }) => ({
      seconds: round(frame / sampleRate, 6),
      strength: round(strength, 4),
    })),
    tempo: {
      bpm: tempo.bpm ?? null,
      confidence: round(tempo.confidence, 3),
      candidates: tempo.candidates.map(({ bpm, weight, evidence }) => ({ bpm, weight: round(weight, 3), evidence })),
      beats: tempo.beats.map((at) => round(at, 5)),
      beatsPerBar: tempo.beatsPerBar,
      firstBar: tempo.firstBar,
      drift: {
        percent: round(tempo.drift.percent, 2),
        bars: tempo.drift.bars.map(({ seconds, bpm }) => ({ seconds: round(seconds, 5), bpm })),
      },
    },
    pitch: {
      rootHz: pitch.rootHz === undefined ? null : round(pitch.rootHz, 3),
      key: keyName(pitch) ?? null,
      confidence: round(pitch.confidence, 3),
      tuningCents: round(pitch.tuningCents, 1),
    },
    material: {
      kind: material.kind,
      confidence: round(material.confidence, 3),
      shares: {
        sines: round(material.shares.sines, 4),
        attacks: round(material.shares.attacks, 4),
        noise: round(material.shares.noise, 4),
      },
      reasons: material.reasons,
    },
    offGrid: offGridForm(knowledge, sampleRate),
    loop: loop
      ? {
          bars: loop.bars,
          overhangMs: round(loop.overhangMs, 2),
          startSeconds: round(loop.startSeconds, 5),
          endSeconds: round(loop.endSeconds, 5),
        }
      : { bars: null, overhangMs: null, startSeconds: null, endSeconds: null },
  }
}

/** How its attacks lie against sixteenths, ms; null where there is no tempo to be sure of. */
function offGridForm(knowledge: Knowledge, sampleRate: number) {
  const found = offGridFound(knowledge, sampleRate)
  if (!found) return null
  const { grid, hits, meanMs, spreadMs, slopeMsPerBar, medianMs, widestMs, offBeatsMs, words } = found
  return {
    grid,
    hits,
    meanMs: round(meanMs, 3),
    spreadMs: round(spreadMs, 3),
    slopeMsPerBar: round(slopeMsPerBar, 3),
    medianMs: round(medianMs, 3),
    widestMs: round(widestMs, 3),
    offBeatsMs: offBeatsMs === undefined ? null : round(offBeatsMs, 3),
    words,
  }
}

const percent = (share: number) => `${Math.round(100 * share)} %`

function inShort({ attacks, tempo, pitch, material, loop }: Knowledge): string {
  return [
    material.kind,
    tempo.bpm === undefined ? 'no tempo' : `${round(tempo.bpm, 2)} BPM (${percent(tempo.confidence)} sure)`,
    pitch.confidence < 0.3 ? 'no key' : `${keyName(pitch)} (${percent(pitch.confidence)} sure)`,
    ...(loop ? [`${loop.bars} bars, ${round(loop.overhangMs, 1)} ms over`] : []),
    `${attacks.length} attacks`,
  ].join(', ')
}

function tell(input: string, knowledge: Knowledge, sampleRate: number, out: Say) {
  const { attacks, tempo, pitch, material, loop } = knowledge
  out(`${input}: ${inShort(knowledge)}`)
  out(`  material  ${material.reasons.join('; ')}`)
  for (const { bpm, weight, evidence } of tempo.candidates.slice(0, 4))
    out(`  tempo     ${String(round(bpm, 2)).padEnd(7)} ${percent(weight).padStart(5)}  ${evidence.join('; ')}`)
  if (tempo.drift.percent > 0)
    out(
      `  drift     ${round(tempo.drift.percent, 1)} %: ${tempo.drift.bars.map(({ bpm }) => bpm.toFixed(1)).join(' ')}`,
    )
  if (pitch.root !== undefined)
    out(
      `  pitch     ${keyName(pitch)}, ${round(pitch.rootHz ?? 0, 1)} Hz, ${round(pitch.tuningCents, 0)} cents; ${pitch.reasons.join('; ')}`,
    )
  const timing = offGridFound(knowledge, sampleRate)
  if (timing)
    out(
      `  off-grid  ${timing.words}; ${round(timing.meanMs, 1)} ms in the mean, half within ${round(timing.medianMs, 1)} ms`,
    )
  if (loop) out(`  loop      ${loop.bars} bars from ${round(loop.startSeconds, 3)} to ${round(loop.endSeconds, 3)} s`)
  for (const { frame, strength } of attacks)
    out(`  attack    ${(frame / sampleRate).toFixed(4)} s  ${percent(strength)}`)
}
