import { basename, join } from 'node:path'
import {
  type Analysis,
  AppError,
  addPart,
  amplitudeToDb,
  clickVoice,
  createMixWriter,
  dbToAmplitude,
  fileBase,
  type Knowledge,
  know,
  type MixFacts,
  type MixOrder,
  type MixPart,
  needsOf,
  openMetre,
  openTempo,
  RATE_RANGE,
  type SampleFormat,
  silence,
  soundSource,
} from '../core'
import { arrangementOf, heldAnalysis, mendedText, mixRate, type Session, type Source } from '../session'
import { faultOf } from '../session/faults'
import { safeFileName } from '../session/sessionFile'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { dbText, formatName, type OpenSound, shared, sourceOf } from './files'
import { type GivenSound, layGiven, type MixGiven, threadedMix } from './mixParts'
import { checkPlace, makeFolder, partialFile } from './places'
import { type FoundSession, findSession } from './sessionPlace'
import type { Terminal } from './terminal'
import { askThreads, threadsFrom } from './threads'

/** `mix SESSION OUT.wav`: what lies on a session's timeline, as one file; its rows and its click as files of their own. */
export async function mixSession(words: readonly string[], terminal: Terminal) {
  const args = readArguments(words, ['stems', 'click', 'from', 'to', 'rate', 'depth', 'workers'], [])
  const [file, output] = places(args, ['SESSION', 'OUT.wav']) as [string, string]
  const asked = askedFor(args, output)
  const threads = threadsFrom(args)
  const found = await findSession(file)
  try {
    const session = checkedSession(found, file, terminal)
    const used = session.sources.filter(({ id }) => session.parts.some(({ source }) => source === id))
    if (session.parts.length === 0) throw new AppError('mix/empty', {})
    const sounds = new Map<string, OpenSound>()
    for (const source of used) sounds.set(source.id, await found.open(source, terminal.err))
    checkPlace(output)
    if (asked.click !== undefined) checkPlace(asked.click)
    if (asked.stems !== undefined) makeFolder(asked.stems)
    await write(session, sounds, asked, output, threads, terminal)
  } finally {
    await found.close()
  }
}

interface Asked {
  readonly stems: string | undefined
  readonly click: string | undefined
  /** bars, counted from 1; `to` is the one that is no longer heard */
  readonly from: number | undefined
  readonly to: number | undefined
  readonly rate: number | undefined
  readonly depth: SampleFormat
}

function askedFor(args: Arguments, output: string): Asked {
  const depth = args.text('depth') ?? '24'
  if (!['16', '24', '32f'].includes(depth)) throw new UsageError('--depth takes 16, 24 or 32f')
  const rate = args.number('rate')
  if (rate !== undefined && !(Number.isInteger(rate) && rate >= RATE_RANGE.min && rate <= RATE_RANGE.max))
    throw new UsageError(`--rate takes whole Hz, ${RATE_RANGE.min} to ${RATE_RANGE.max}`)
  const bar = (name: 'from' | 'to') => {
    const value = args.number(name)
    if (value !== undefined && !(Number.isInteger(value) && value >= 1))
      throw new UsageError(`--${name} takes a bar, from 1 on`)
    return value
  }
  const [from, to] = [bar('from'), bar('to')]
  if (from !== undefined && to !== undefined && to <= from)
    throw new UsageError('--to takes a bar behind that of --from')
  const click = args.text('click')
  for (const name of [output, ...(click === undefined ? [] : [click])])
    if (!/\.wav$/i.test(name)) throw new UsageError(`the result is a WAV file: "${name}" must end in .wav`)
  return { stems: args.text('stems'), click, from, to, rate, depth: depth as SampleFormat }
}

/** The session as it is read; on its timeline nothing is mended, since the mix would not be what was meant. */
function checkedSession({ read, raw, notes }: FoundSession, file: string, { err }: Terminal): Session {
  if (read.kind === 'unreadable') throw new AppError('session-file/unreadable', { file: basename(file), why: read.why })
  const fault = faultOf(raw, read.mended)
  if (fault) throw new AppError('mix/entry', { ...fault })
  const { session } = read
  if (read.kind === 'newer')
    err(`zumbet: written by a newer version (${read.version}): what is new in it is left alone.`)
  if (read.mended.length > 0) err(`zumbet: mended: ${mendedText(read.mended, (n) => session.sources[n]?.name)}.`)
  for (const note of notes) err(`zumbet: ${note}`)
  return session
}

async function write(
  session: Session,
  sounds: ReadonlyMap<string, OpenSound>,
  asked: Asked,
  output: string,
  threads: number,
  { out, err, progress }: Terminal,
) {
  const sources = session.sources.filter(({ id }) => sounds.has(id)).map((source) => withFacts(source, sounds))
  const known = new Map<string, Knowledge>()
  for (const source of sources) {
    if (!wantsTempo(session, source)) continue
    known.set(
      source.id,
      drive(know(sourceOf(sounds.get(source.id) as OpenSound), { file: source.file }), () => undefined),
    )
  }
  const arrangement = arrangementOf({ ...session, sources }, ({ id }) => known.get(id))
  for (const part of arrangement.parts.filter(({ lock, own }) => lock === 'bars' && !own))
    err(
      `zumbet: part ${part.id}: the tempo of ${part.source} is not known, so it keeps its own length. Say its tempo: "hand": { "bpm": … }.`,
    )
  const rate = asked.rate ?? mixRate([...sounds.values()].map((sound) => sourceOf(sound).sampleRate))
  const given: Record<string, GivenSound> = {}
  for (const source of sources) given[source.id] = givenOf(source, sounds.get(source.id) as OpenSound)
  const analyses = await analysed(given, arrangement.parts, threads)
  for (const source of sources) analyses[source.id] = heldAnalysis(source, analyses[source.id] ?? {})
  const { frames } = layGiven({ arrangement, rate, sounds: given }).mix
  const frameOf = (bar: number) =>
    Math.round(openTempo(arrangement.tempoLine).secondsAt(openMetre(arrangement.metre).beatOfBar(bar - 1)) * rate)
  const from = asked.from === undefined ? 0 : frameOf(asked.from)
  const to = asked.to === undefined ? frames : frameOf(asked.to)
  if (!(to > from) || from >= frames) throw new AppError('mix/empty', {})
  const order: MixOrder = { from, to, rate, format: asked.depth }
  const click = clickVoice(arrangement, rate, dbToAmplitude(session.click.gainDb))

  const files = openFiles(order)
  try {
    const mixed = files.add(output)
    const clicked = asked.click === undefined ? undefined : files.add(asked.click)
    const stems = asked.stems === undefined ? [] : stemsOf(arrangement.parts, session, asked.stems, files)
    const mix = threadedMix({ arrangement, rate, sounds: given, analyses, threads } satisfies MixGiven, from, to)
    try {
      for await (const { from: at, sum, rowOf } of mix.windows()) {
        const count = (sum[0] as Float32Array).length
        const strokes = silence(2, count)
        if (clicked || session.click.inMix) click.read(at, strokes)
        if (session.click.inMix) addPart(sum, strokes, 1)
        mixed.add(sum, count)
        clicked?.add(strokes, count)
        for (const { row, writer } of stems) writer.add(rowOf(row), count)
        progress((at + count - from) / (to - from))
      }
    } finally {
      await mix.close()
    }
    for (const { file, facts } of files.keep()) out(lineOf(file, facts, order, err))
  } catch (error) {
    files.discard()
    throw error
  }
}

function lineOf(file: string, facts: MixFacts, { rate, format }: MixOrder, err: Terminal['err']): string {
  if (facts.clippedSamples > 0)
    err(
      `zumbet: ${file}: ${facts.clippedSamples} samples were over full scale (by ${amplitudeToDb(facts.peak).toFixed(1)} dB) and were limited; --depth 32f keeps them.`,
    )
  return `${file}: ${facts.frames} frames, ${(facts.frames / rate).toFixed(3)} s, ${rate} Hz, 2 channels, ${formatName(format)}, peak ${dbText(facts.peak)} dBFS`
}

/** Files that are written beside one another, and come to their names when all of them are whole. */
function openFiles(order: MixOrder) {
  const open: {
    readonly file: string
    readonly place: ReturnType<typeof partialFile>
    readonly writer: ReturnType<typeof createMixWriter>
  }[] = []
  return {
    add(file: string) {
      const place = partialFile(file)
      const writer = createMixWriter(order, (bytes) => place.write(bytes))
      open.push({ file, place, writer })
      return writer
    },
    keep(): { readonly file: string; readonly facts: MixFacts }[] {
      const finished = open.map(({ file, writer }) => ({ file, facts: writer.finish() }))
      for (const { place } of open) place.keep()
      return finished
    },
    discard() {
      for (const { place } of open) place.discard()
    },
  }
}

/** A file for each row that something lies on. */
function stemsOf(
  parts: readonly MixPart[],
  { rows }: Session,
  folder: string,
  files: ReturnType<typeof openFiles>,
): { readonly row: number; readonly writer: ReturnType<typeof createMixWriter> }[] {
  const taken = new Set<string>()
  return rows.flatMap(({ name }, row) => {
    if (!parts.some((part) => part.row === row)) return []
    const own = safeFileName(`${fileBase(name) || `row ${row + 1}`}.wav`, taken)
    taken.add(own.toLowerCase())
    return [{ row, writer: files.add(join(folder, own)) }]
  })
}

/** How long a source is, found out from its sound where the session does not say, or says otherwise. */
function withFacts(source: Source, sounds: ReadonlyMap<string, OpenSound>): Source {
  const sound = sounds.get(source.id) as OpenSound
  const { frames, sampleRate, channelCount } = soundSource(sourceOf(sound))
  const { range, ...rest } = source
  const others = { channels: channelCount, container: sound.container, peak: 1, ...source.facts }
  return { ...rest, ...(range && range.end <= frames && { range }), facts: { ...others, frames, sampleRate } }
}

/** The part of a sound that is worked with, as threads hand it on. */
function givenOf({ range }: Source, sound: OpenSound): GivenSound {
  if (!('audio' in sound)) return { pcmFile: sound.pcmFile, range }
  const { sampleRate, channels } = sound.audio
  return shared({
    sampleRate,
    channels: range ? channels.map((own) => own.subarray(range.start, range.end)) : channels,
  })
}

/**
 * Whether a source's tempo has to be found out: a part of it is locked to bars, and nobody said it.
 * What a page wrote counts the first beat that was found as well.
 */
function wantsTempo({ parts, sources }: Session, { id, hand }: Source): boolean {
  const isWritten = sources.some((source) => source.id === id && source.facts !== undefined)
  const isSaid = hand.beats !== undefined || (hand.bpm !== undefined && (hand.firstBeat !== undefined || !isWritten))
  return !isSaid && parts.some(({ source, lock }) => source === id && lock === 'bars')
}

/** What the methods of the parts need to know of each sound. */
async function analysed(
  given: Readonly<Record<string, GivenSound>>,
  parts: readonly MixPart[],
  threads: number,
): Promise<Record<string, Analysis>> {
  const ids = Object.keys(given)
  const questions = ids.map((id) => ({
    sound: given[id] as GivenSound,
    needs: [...new Set(parts.filter(({ source }) => source === id).flatMap(({ recipe }) => needsOf(recipe)))],
  }))
  const analyses: Record<string, Analysis> = {}
  let n = 0
  for await (const analysis of askThreads<unknown, Analysis>('mixAnalysis', {}, questions, threads))
    analyses[ids[n++] as string] = analysis
  return analyses
}
