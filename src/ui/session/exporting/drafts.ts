import {
  AppError,
  type Delivery,
  dbToAmplitude,
  draftDepth,
  isPlain,
  layMix,
  NO_MARKERS,
  openMetre,
  openTempo,
  type SoundTags,
} from '../../../core'
import {
  beatsOf,
  beatsOfSection,
  deliveryOfSettings,
  depthOf,
  type ExportSettings,
  handMarkersOf,
  markersOf,
  type PickMark,
  partFacts,
  type RecipeFile,
  recipeFileOf,
  type Session,
  type Source,
  slotOf,
  type Take,
  timedFacts,
} from '../../../session'
import { knowSizes } from '../files/knowSizes'
import { analysisOf } from '../know/analyses'
import { renderTake } from '../play/takes'
import { renderFile } from '../render/renderFile'
import { shelf } from '../state/engine'
import { store } from '../state/store'
import { sizesOf, timelineOf } from '../timeline/mixing'
import { gathered, writeMix } from '../timeline/writeMix'
import { padTake } from './instruments'
import { type Item, recipeOfItem } from './items'

/** What an item comes to before it is the wanted kind of file: a WAV file with its marks, and what is said of it. */
export interface Draft {
  readonly blob: Blob
  /** that blob is the file that is wanted */
  readonly done: boolean
  readonly delivery: Delivery
  readonly tags: SoundTags
  readonly seed: number
  readonly frames: number
  readonly rate: number
  readonly clippedSamples: number
  /** frames that its length rule asks for; undefined for as many as there are */
  readonly wantedFrames: number | undefined
  readonly recipe?: RecipeFile
}

interface Making {
  readonly settings: ExportSettings
  /** YYYY-MM-DD */
  readonly today: string
  readonly signal: AbortSignal
  show(progress: number): void
}

/** Make the draft of an item. @throws what the work failed by, or that it was stopped. */
export function makeDraft(item: Item, making: Making): Promise<Draft> {
  const { content } = item
  if (content.kind === 'variant') return variantDraft(item, making)
  if (content.kind === 'pick') return padDraft(content.pick, content.source, making)
  if (content.kind === 'take') return takeDraft(content.take, undefined, making)
  return mixDraft(item, making)
}

async function variantDraft(item: Item, { settings, today, signal, show }: Making): Promise<Draft> {
  const { content } = item
  const recipe = recipeOfItem(content)
  if (content.kind !== 'variant' || !recipe) throw new RangeError('variantDraft: there is no recipe')
  const { source } = content
  const { decoded, facts } = await shelf.getPart(source)
  const { sound, depth, markers } = decoded
  const analysis = await analysisOf(source, sound, recipe)
  const delivery = deliveryOfSettings(settings, sound.sampleRate, {
    depth: depthOf('source', source.facts),
    lufs: facts.loudness,
  })
  const tags: SoundTags = settings.tags ? variantTags(item, source, recipe.stretch, today) : {}
  const said = settings.tags ? { ...tags, recipe: JSON.stringify(recipe) } : {}
  const wanted = wantedSeconds(settings, source)
  const plain = isPlain(delivery, sound.channelCount) && wanted === undefined && settings.tailSeconds === 0
  const kept = settings.markers === 'keep' ? markersOf(source, markers) : NO_MARKERS
  const order = {
    recipe,
    format: draftDepth(delivery, sound.channelCount),
    markers: kept,
    rate: delivery.rate,
    sourceBits: depth?.float ? undefined : depth?.bits,
    dither: delivery.dither,
    ...(plain && { tags: said }),
  }
  const made = await renderFile(sound, order, analysis, signal, show)
  const rate = delivery.rate ?? sound.sampleRate
  return {
    blob: made.blob,
    done: plain,
    delivery,
    tags: said,
    seed: recipe.seed,
    frames: made.facts.frames,
    rate,
    clippedSamples: made.facts.clippedSamples,
    wantedFrames: lengthIn(made.facts.frames, rate, wanted, settings),
    ...(settings.recipe && {
      recipe: {
        ...recipeFileOf(source, recipe, analysis),
        file: delivery,
        markers: settings.markers === 'keep' ? (handMarkersOf(source) ?? 'keep') : 'drop',
        ...(settings.tags && { tags }),
      },
    }),
  }
}

function variantTags({ fields }: Item, source: Source, stretch: number, today: string): SoundTags {
  const { knowledge } = store.getState()
  const { beatsPerBar } = beatsOf(source, knowledge[source.id] ?? undefined)
  const facts = timedFacts(source)
  const bpm = fields.bpm === undefined ? undefined : Number(fields.bpm)
  const beats = bpm !== undefined && facts ? (facts.frames / facts.sampleRate) * stretch * (bpm / 60) : undefined
  const isWhole = beats !== undefined && beats >= 1 && Math.abs(beats - Math.round(beats)) < 0.02
  return {
    title: source.name,
    date: today,
    ...(bpm !== undefined && { bpm, metre: { beats: beatsPerBar, unit: 4 } }),
    ...(isWhole && { beats: Math.round(beats) }),
    ...(fields.key !== undefined && { key: fields.key }),
  }
}

/** Seconds that a length rule asks for; undefined for as long as it is. */
function wantedSeconds({ length }: ExportSettings, source: Source): number | undefined {
  const { history, knowledge } = store.getState()
  if (length === 'picture') {
    const slot = slotOf(history.present.sources, source)
    return slot && slot.to - slot.from
  }
  const facts = partFacts(source)
  if (length !== 'bars' || !facts) return undefined
  const { frames, bars, beatsPerBar } = beatsOf(source, knowledge[source.id] ?? undefined)
  const first = frames[bars.indexOf(true)]
  const next = frames[bars.indexOf(true, bars.indexOf(true) + 1)]
  const bar =
    first !== undefined && next !== undefined
      ? (next - first) / facts.sampleRate
      : frames.length > 1
        ? (((frames[1] as number) - (frames[0] as number)) / facts.sampleRate) * beatsPerBar
        : undefined
  if (bar === undefined) return undefined
  const { stretch } = source.target
  return Math.max(1, Math.round(facts.frames / facts.sampleRate / bar)) * bar * stretch
}

function lengthIn(frames: number, rate: number, seconds: number | undefined, { tailSeconds }: ExportSettings) {
  const wanted =
    (seconds === undefined ? frames : Math.max(1, Math.round(seconds * rate))) + Math.round(tailSeconds * rate)
  return wanted === frames ? undefined : wanted
}

async function padDraft(pick: PickMark, { id }: Source, making: Making): Promise<Draft> {
  await knowSizes([id])
  const source = store.getState().history.present.sources.find((one) => one.id === id)
  if (!source) throw new AppError('storage/lost', { name: pick.name })
  return takeDraft(padTake(pick, source), source, making)
}

async function takeDraft(
  take: Take,
  source: Source | undefined,
  { settings, today, signal, show }: Making,
): Promise<Draft> {
  const { blob, frames } = await renderTake(take, { signal, show })
  const { rate } = take
  const delivery = deliveryOfSettings(settings, rate, { depth: '32f', lufs: undefined })
  const title = source ? `${source.name}: ${take.name}` : take.name
  const plain =
    isPlain(delivery, 2) && delivery.depth === '32f' && !delivery.rate && !settings.tags && settings.tailSeconds === 0
  return {
    blob,
    done: plain,
    delivery,
    tags: settings.tags ? { title, date: today } : {},
    seed: 1,
    frames,
    rate,
    clippedSamples: 0,
    wantedFrames: lengthIn(frames, rate, undefined, settings),
  }
}

async function mixDraft({ content, fields }: Item, { settings, today, signal, show }: Making): Promise<Draft> {
  const state = store.getState()
  const { present: session } = state.history
  const { arrangement, rate } = timelineOf(state)
  const delivery = deliveryOfSettings(settings, rate, { depth: '24', lufs: undefined })
  const hz = delivery.rate ?? rate
  const { frames } = layMix(arrangement, sizesOf(session), hz)
  const gain = dbToAmplitude(session.click.gainDb)
  const sounds = await gathered(arrangement)
  const tempo = arrangement.tempoLine
  const [first] = tempo
  const steady = tempo.length === 1 && first
  const section = 'section' in content ? content.section : undefined
  const span = section
    ? spanOf(session, section, arrangement, hz)
    : { from: 0, to: settings.length === 'bars' ? endOfBar(arrangement, frames, hz) : frames }
  const tags: SoundTags = settings.tags
    ? { title: fields.source ?? 'mix', date: today, startFrame: span.from, ...(steady && { bpm: first.bpm }) }
    : {}
  const plain = isPlain(delivery, 2) && settings.tailSeconds === 0
  const what =
    content.kind === 'click'
      ? { parts: false, clickGain: gain }
      : content.kind === 'row'
        ? { parts: true, clickGain: 0, rows: [content.row] }
        : { parts: true, clickGain: session.click.inMix ? gain : 0 }
  const order = { ...span, rate: hz, format: draftDepth(delivery, 2), dither: delivery.dither }
  const { blob, facts } = await writeMix(
    { arrangement, order: { ...order, ...(plain && { tags }) }, sounds, what },
    signal,
    show,
  )
  return {
    blob,
    done: plain,
    delivery,
    tags,
    seed: 1,
    frames: facts.frames,
    rate: hz,
    clippedSamples: facts.clippedSamples,
    wantedFrames: lengthIn(facts.frames, hz, undefined, settings),
  }
}

/** Where a section lies in a mix, frames. */
function spanOf(
  session: Session,
  section: Session['sections'][number],
  { tempoLine }: Parameters<typeof layMix>[0],
  rate: number,
): { readonly from: number; readonly to: number } {
  const { from, to } = beatsOfSection(session, section)
  const { secondsAt } = openTempo(tempoLine)
  return { from: Math.round(secondsAt(from) * rate), to: Math.round(secondsAt(to) * rate) }
}

/** The end of the bar in which a mix ends. */
function endOfBar(arrangement: Parameters<typeof layMix>[0], frames: number, rate: number): number {
  const { barAt, beatOfBar } = openMetre(arrangement.metre)
  const { beatAt, secondsAt } = openTempo(arrangement.tempoLine)
  const { bar } = barAt(beatAt(frames / rate) - 1e-6)
  return Math.max(1, Math.round(secondsAt(beatOfBar(bar + 1)) * rate))
}
