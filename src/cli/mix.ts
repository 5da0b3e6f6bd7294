import { basename, extname, join } from 'node:path'
import {
  type Analysis,
  AppError,
  addPart,
  amplitudeToDb,
  clickVoice,
  containers,
  createMixWriter,
  type Delivery,
  dbToAmplitude,
  draftDepth,
  isPlain,
  type KnowOptions,
  type MixFacts,
  type MixOrder,
  NO_TEMPO,
  needsOf,
  openMetre,
  openTempo,
  silence,
  soundSource,
} from '../core'
import {
  arrangementOf,
  changeSet,
  heldAnalysis,
  isUntuned,
  mendedText,
  mixRate,
  namedKin,
  partRecipe,
  placedOf,
  type Session,
  type Source,
  stemsOf,
  tempoRatioTo,
  timeAs,
} from '../session'
import { cueSheet } from '../session/cueSheet'
import { type Arguments, places, readArguments, UsageError } from './args'
import { type DeliveredFile, deliverDraft, deliveryName, levelText, tellDelivered } from './deliver'
import { dbText, type OpenSound, sent, sourceOf } from './files'
import { type GivenSound, layGiven, type MixAnswer, type MixQuestion, threadedMix } from './mixParts'
import { checkOutput, deliveryOf, OUTPUT_FLAGS, type Written } from './output'
import { checkPlace, makeFolder, partialFile, writeWhole } from './places'
import { findSession, sessionAsMeant, type Tagged } from './sessionPlace'
import type { Terminal } from './terminal'
import { askThreads, threadsFrom } from './threads'
import { checkKin } from './time'

/** `mix SESSION OUT.wav`: what lies on a session's timeline, as one file; its rows and its click beside it. */
export async function mixSession(words: readonly string[], terminal: Terminal) {
  const { err } = terminal
  const args = readArguments(
    words,
    [...OUTPUT_FLAGS, 'stems', 'click', 'cue-sheet', 'from', 'to', 'bpm', 'semitones', 'workers'],
    [],
  )
  const [file, output] = places(args, ['SESSION', 'OUT.wav']) as [string, string]
  const asked = askedFor(args, output)
  const threads = threadsFrom(args)
  const found = await findSession(file)
  try {
    const session = sessionAsMeant(found, file)
    const { read, notes } = found
    if (read.kind === 'newer')
      err(`zumbet: written by a newer version (${read.version}): what is new in it is left alone.`)
    if (read.kind !== 'unreadable' && read.mended.length > 0)
      err(`zumbet: mended: ${mendedText(read.mended, (n) => session.sources[n]?.name)}.`)
    for (const note of notes) err(`zumbet: ${note}`)
    const used = session.sources.filter(({ id }) => session.parts.some(({ source }) => source === id))
    if (used.length === 0) throw new AppError('mix/empty', {})
    const sounds = new Map<string, OpenSound & Tagged>()
    for (const source of new Set(used.flatMap((one) => namedKin(session.sources, one))))
      sounds.set(source.id, await found.open(source, err))
    checkPlace(output)
    if (asked.click !== undefined) checkPlace(asked.click)
    if (asked.stems !== undefined) makeFolder(asked.stems)
    await write(session, used, sounds, asked, output, threads, terminal)
  } finally {
    await found.close()
  }
}

interface Asked extends Written {
  readonly stems: string | undefined
  readonly click: string | undefined
  readonly cueSheet: string | undefined
  /** the whole set at another tempo, as it begins, and in another key */
  readonly bpm: number | undefined
  readonly semitones: number
  /** bars, counted from 1; `to` is the one that is no longer heard */
  readonly from: number | undefined
  readonly to: number | undefined
}

function askedFor(args: Arguments, output: string): Asked {
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
  if (click !== undefined) checkOutput(args, click)
  const cueSheet = args.text('cue-sheet')
  if (cueSheet !== undefined) {
    if (!/\.html?$/i.test(cueSheet)) throw new UsageError(`a cue sheet is a page: "${cueSheet}" must end in .html`)
    checkPlace(cueSheet)
  }
  const [bpm, semitones = 0] = [args.number('bpm'), args.number('semitones')]
  return { ...checkOutput(args, output), stems: args.text('stems'), click, cueSheet, from, to, bpm, semitones }
}

async function write(
  session: Session,
  used: readonly Source[],
  sounds: ReadonlyMap<string, OpenSound & Tagged>,
  asked: Asked,
  output: string,
  threads: number,
  { out, err, progress }: Terminal,
) {
  const given: Record<string, GivenSound> = {}
  const wholes = new Map([...sounds].map(([id, sound]) => [id, sent(sound)]))
  for (const source of used) {
    const kin = namedKin(session.sources, source).map(({ id }) => id)
    const whole = wholes.get(source.id) as GivenSound['whole']
    const { range } = leadOf(session, source)
    const sounds = kin.map((id) => wholes.get(id) as GivenSound['whole'])
    given[source.id] = { whole, range, ...(kin.length > 1 && { kin: { sounds, own: kin.indexOf(source.id) } }) }
  }
  checkAllKin(session, used, sounds)
  const answers = await answered(session, used, sounds, given, { threads, isMoved: asked.semitones !== 0 })
  const tempoRatio = asked.bpm === undefined ? 1 : tempoRatioTo(session, asked.bpm)
  changeSet(session, { tempoRatio, semitones: asked.semitones }, (source) =>
    isUntuned(source, answers.get(source.id)?.known),
  )
  const sources = used.map((source) => {
    const answer = answers.get(source.id)
    const lead = leadOf(session, source)
    const own = { ...withFacts(source, sounds) }
    if (lead === source) return settled(own, answer, session.grooves)
    timeAs(own, settled(withFacts(lead, sounds), answer, session.grooves))
    return own
  })
  const arrangement = arrangementOf({ ...session, sources }, ({ id }) => answers.get(id)?.rhythm)
  for (const part of arrangement.parts.filter(({ lock, own }) => lock === 'bars' && !own))
    err(
      `zumbet: part ${part.id}: the tempo of ${part.source} is not known, so it keeps its own length. Say its tempo: "hand": { "bpm": … }.`,
    )
  const analyses: Record<string, Analysis> = {}
  for (const source of used) analyses[source.id] = heldAnalysis(source, answers.get(source.id)?.analysis ?? {})
  const usual = mixRate([...sounds.values()].map((sound) => sourceOf(sound).sampleRate))
  const delivery = deliveryOf(asked, { sampleRate: usual })
  const rate = delivery.rate ?? usual
  const { mix } = layGiven({ arrangement, rate, sounds: given })
  const { beatOfBar } = openMetre(arrangement.metre)
  const { secondsAt } = openTempo(arrangement.tempoLine)
  const frameOf = (bar: number) => Math.round(secondsAt(beatOfBar(bar - 1)) * rate)
  const from = asked.from === undefined ? 0 : frameOf(asked.from)
  const to = asked.to === undefined ? mix.frames : frameOf(asked.to)
  if (!(to > from) || from >= mix.frames) throw new AppError('mix/empty', {})
  const order: MixOrder = { from, to, rate, format: draftDepth(delivery, 2), dither: delivery.dither }
  const click = clickVoice(arrangement, rate, dbToAmplitude(session.click.gainDb))

  const files = openFiles(order, delivery)
  try {
    const mixed = files.add(output)
    const clicked = asked.click === undefined ? undefined : files.add(asked.click)
    const { stems: folder } = asked
    const stems =
      folder === undefined
        ? []
        : stemsOf(session).map(({ row, file }) => ({ row, writer: files.add(join(folder, endingIn(file, delivery))) }))
    const threaded = threadedMix(mix, { arrangement, rate, sounds: given, analyses, threads }, from, to)
    try {
      for await (const { from: at, sum, rowOf } of threaded.windows()) {
        const count = (sum[0] as Float32Array).length
        if (clicked || session.click.inMix) {
          const strokes = silence(2, count)
          click.read(at, strokes)
          clicked?.add(strokes, count)
          if (session.click.inMix) addPart(sum, strokes, 1)
        }
        mixed.add(sum, count)
        for (const { row, writer } of stems) writer.add(rowOf(row), count)
        progress((at + count - from) / (to - from))
      }
    } finally {
      await threaded.close()
    }
    for (const { file, facts, delivered } of await files.keep())
      out(lineOf(file, facts, delivered, { rate, delivery }, err))
    if (asked.cueSheet !== undefined) {
      writeWhole(asked.cueSheet, cueSheet({ ...session, sources }, mix, basename(output, extname(output))))
      out(asked.cueSheet)
    }
  } catch (error) {
    files.discard()
    throw error
  }
}

/** What is found out of kin is found out of the one that leads. */
const leading = ({ kin, range, whole }: GivenSound): GivenSound => ({ whole: kin?.sounds[0] ?? whole, range })

/** Kin hold if the session names them; how long they are is found out from their sounds. */
const leadOf = ({ sources }: Pick<Session, 'sources'>, source: Source) => namedKin(sources, source)[0] as Source

/** @throws {AppError} `time/kin` where sounds that are said to be kin have not one length. */
function checkAllKin({ sources }: Session, used: readonly Source[], sounds: ReadonlyMap<string, OpenSound>) {
  const soundOf = ({ id }: Source) => sounds.get(id) as OpenSound
  for (const source of used) {
    const lead = leadOf({ sources }, source)
    if (lead !== source) checkKin(lead.file, soundOf(lead), source.file, soundOf(source))
  }
}

const endingIn = (file: string, { container }: Delivery) => file.replace(/\.wav$/, `.${containers[container].ending}`)

function lineOf(
  file: string,
  facts: MixFacts,
  delivered: DeliveredFile | undefined,
  { rate, delivery }: { readonly rate: number; readonly delivery: Delivery },
  err: Terminal['err'],
): string {
  const clipped = facts.clippedSamples + (delivered?.clippedSamples ?? 0)
  if (clipped > 0)
    err(
      `zumbet: ${file}: ${clipped} samples were over full scale (by ${amplitudeToDb(facts.peak).toFixed(1)} dB) and were limited; --depth 32f keeps them.`,
    )
  if (delivered) tellDelivered(file, delivered, delivery, err)
  const level = delivered?.level ? levelText(delivered) : `, peak ${dbText(facts.peak)} dBFS`
  return `${file}: ${facts.frames} frames, ${(facts.frames / rate).toFixed(3)} s, ${rate} Hz, ${delivered?.channels ?? 2} channels, ${deliveryName(delivery)}${level}`
}

/** Files that are written beside one another, and come to their names when all of them are whole. */
function openFiles(order: MixOrder, delivery: Delivery) {
  const open: {
    readonly file: string
    readonly place: ReturnType<typeof partialFile>
    /** where the mix lies until a file that is no plain WAV file is made of it */
    readonly draft: ReturnType<typeof partialFile> | undefined
    readonly writer: ReturnType<typeof createMixWriter>
  }[] = []
  const discard = () => {
    for (const { place, draft } of open) {
      place.discard()
      draft?.discard()
    }
  }
  return {
    add(file: string) {
      const place = partialFile(file)
      const draft = isPlain(delivery, 2) ? undefined : partialFile(`${file}.draft`)
      const writer = createMixWriter(order, (bytes) => (draft ?? place).write(bytes))
      open.push({ file, place, draft, writer })
      return writer
    },
    async keep() {
      const said = { markers: 'keep' as const, tags: {}, seed: 1 }
      const finished: {
        readonly file: string
        readonly facts: MixFacts
        readonly delivered: DeliveredFile | undefined
      }[] = []
      for (const { file, place, draft, writer } of open) {
        const facts = writer.finish()
        finished.push({ file, facts, delivered: draft && (await deliverDraft(draft.place, delivery, said, place)) })
      }
      for (const { place, draft } of open) {
        place.keep()
        draft?.discard()
      }
      return finished
    },
    discard,
  }
}

/** How long a source is, found out from its sound where the session does not say, or says otherwise. */
function withFacts(source: Source, sounds: ReadonlyMap<string, OpenSound>): Source {
  const sound = sounds.get(source.id) as OpenSound
  const { frames, sampleRate, channelCount } = soundSource(sourceOf(sound))
  const { range, ...rest } = source
  const others = { channels: channelCount, container: sound.container, peak: 1, ...source.facts }
  return { ...rest, ...(range && range.end <= frames && { range }), facts: { ...others, frames, sampleRate } }
}

/** Timing that was written by hand: pins or a rule, and nothing yet of what they come to. */
const asksForTiming = ({ timing }: Source) =>
  timing !== undefined && timing.placed.length === 0 && (timing.pins.length > 0 || isRuled({ timing }))
const isRuled = ({ timing }: Pick<Source, 'timing'>) => (timing?.rule?.strength ?? 0) > 0

/** The same source, with what such timing comes to. */
function settled(source: Source, answer: MixAnswer | undefined, grooves: Session['grooves']): Source {
  const { timing, range } = source
  if (!timing || !asksForTiming(source)) return source
  const attacks = (answer?.analysis.attacks ?? []).map(({ frame, strength }) => ({
    frame: frame + (range?.start ?? 0),
    strength,
  }))
  const found = { attacks, tempo: answer?.rhythm?.tempo ?? NO_TEMPO }
  return { ...source, timing: { ...timing, placed: placedOf(source, found, grooves) } }
}

/**
 * Whether a source's tempo has to be found out: a part of it is locked to bars, and nobody said it.
 * What a page wrote counts the first beat that was found as well.
 */
function wantsTempo({ parts, sources }: Session, source: Source): boolean {
  const { id, hand } = source
  const isWritten = sources.some((own) => own.id === id && own.facts !== undefined)
  const isSaid = hand.beats !== undefined || (hand.bpm !== undefined && (hand.firstBeat !== undefined || !isWritten))
  const isLaid = parts.some((part) => part.source === id && part.lock === 'bars')
  return !isSaid && (isLaid || (asksForTiming(source) && isRuled(source)))
}

/** What has to be found out of each sound, by so many threads at once. */
async function answered(
  session: Session,
  used: readonly Source[],
  sounds: ReadonlyMap<string, Tagged>,
  given: Readonly<Record<string, GivenSound>>,
  { threads, isMoved }: { readonly threads: number; readonly isMoved: boolean },
): Promise<ReadonlyMap<string, MixAnswer>> {
  const questions = used.map((source): MixQuestion => {
    const lead = leadOf(session, source)
    const { id } = source
    const { file } = lead
    const { taggedBpm } = sounds.get(lead.id) as Tagged
    const options: KnowOptions = { file, ...(taggedBpm !== undefined && { taggedBpm }) }
    const wantsKind = isMoved && source.hand.untuned === undefined
    const recipes = session.parts.filter((part) => part.source === id).map((part) => partRecipe(source, part))
    return {
      sound: leading(given[id] as GivenSound),
      needs: [...new Set([...recipes.flatMap(needsOf), ...(asksForTiming(lead) ? ['attacks' as const] : [])])],
      rhythm: wantsTempo(session, lead) ? options : undefined,
      known: wantsKind ? options : undefined,
    }
  })
  const answers = new Map<string, MixAnswer>()
  for await (const answer of askThreads<MixQuestion, MixAnswer>('mixAnalysis', {}, questions, threads))
    answers.set((used[answers.size] as Source).id, answer)
  return answers
}
