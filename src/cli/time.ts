import { basename } from 'node:path'
import {
  type Analysis,
  AppError,
  analyseTask,
  exportKinTask,
  type GridBeats,
  type Groove,
  gridBeats,
  type Hit,
  type KinOrder,
  knowledgeOf,
  knowRhythm,
  knowTones,
  needsOf,
  type Pin,
  pinsOf,
  type Recipe,
  type Rhythm,
  type RuledBeats,
  readGroove,
  readPins,
  readSpeedCurve,
  STRAIGHT_SWING,
  SWING_RANGE,
  soundSource,
  suggestMethod,
  takeGroove,
  takesSwing,
} from '../core'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { dbText, formatName, type OpenSound, openSound, ownFormat, readText, sourceOf } from './files'
import { beatsFrom, gridFrom, hitsOf, offGridFacts } from './offGrid'
import { checkOutput, type Written } from './output'
import { isSameFile, partialFile } from './places'
import { methodOf, RENDER_FLAGS, recipeFrom } from './recipeFlags'
import { checkTarget, renderFile } from './render'
import type { Terminal } from './terminal'
import { threadsFrom } from './threads'

const RULE_FLAGS = ['bpm', 'first-beat', 'grid', 'strength', 'swing', 'window', 'groove'] as const
const TIME_FLAGS = [...RULE_FLAGS, 'pins', 'speed-curve', 'with', 'stretch', 'workers'] as const

/** share of the work that is finding attacks and beats */
const LISTENING = 0.3

/**
 * `time IN OUT.wav`: draws attacks to a grid or a groove, moves them by pins, and lets the speed change over the
 * sound.
 */
export async function timeSound(words: readonly string[], terminal: Terminal) {
  const { err, progress } = terminal
  const args = readArguments(words, [...RENDER_FLAGS, ...TIME_FLAGS], ['force'])
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const chosen = args.text('method')
  if (chosen !== undefined) methodOf(chosen)
  const written = checkOutput(args, output)
  if (args.texts('with').length > 0) checkAlike(written)
  const kin = kinFrom(args, input, output)
  const asked = ruleFrom(args)
  const threads = threadsFrom(args)
  const pins = await readFrom(args.text('pins'), readPins)
  const speedCurve = await readFrom(args.text('speed-curve'), readSpeedCurve)
  const sound = await openSound(input, err)
  const others = await Promise.all(kin.map(({ file }) => openSound(file, err)))
  others.forEach((other, n) => {
    checkKin(input, sound, kin[n]?.file as string, other)
  })
  await checkTarget(args, input, output, terminal)
  for (const one of kin) await checkTarget(args, one.file, one.output, terminal)

  const source = soundSource(sourceOf(sound))
  const rhythm = drive(knowRhythm(source, { file: basename(input) }), progress, { from: 0, to: LISTENING })
  const hits = hitsOf(rhythm, source.sampleRate)
  const rule = asked && (await ruledBeats(args, asked, input, rhythm, hits, terminal))
  const timed = pinsOf(hits, heldWithin(pins ?? [], source.frames / source.sampleRate), rule)
  const methodId = chosen ?? suggestMethod(knowledgeOf(rhythm, drive(knowTones(source), progress)).material, 1).methodId
  const recipe: Recipe = {
    ...(await recipeFrom(args, methodId, args.number('stretch') ?? 1)),
    ...(timed.length > 0 && { pins: timed }),
    ...(speedCurve && { speedCurve }),
  }
  tell(timed, hits, rule, rhythm, methodId, err)
  if (kin.length === 0) {
    await renderFile(sound, recipe, written, output, threads, terminal, { attacks: rhythm.attacks })
    return
  }
  writeKin(
    [{ sound, output }, ...others.map((other, n) => ({ sound: other, output: kin[n]?.output as string }))],
    recipe,
    rhythm,
    written,
    terminal,
  )
}

/**
 * Files of kin are written side by side, as they come.
 * @throws {UsageError} for what would be done to each by itself.
 */
function checkAlike({ container, mono, level }: Written) {
  if (container !== 'wav' || mono || level.kind !== 'as-is')
    throw new UsageError('with --with the results are WAV files, as many channels and as loud as they come out')
}

async function readFrom<Read>(file: string | undefined, read: (text: string, name: string) => Read) {
  return file === undefined ? undefined : read(await readText(file), basename(file))
}

interface AskedRule {
  readonly strength: number
  readonly swing: number
  readonly windowMs: number | undefined
}

/** The rule that flags ask for; without any, and without pins or a curve, all is drawn to the sixteenths. */
function ruleFrom(args: Arguments): AskedRule | undefined {
  const isAsked = RULE_FLAGS.some((flag) => args.text(flag) !== undefined)
  if (!isAsked && (args.text('pins') !== undefined || args.text('speed-curve') !== undefined)) return undefined
  const grid = gridFrom(args)
  const strength = args.number('strength') ?? 100
  if (!(strength >= 0 && strength <= 100)) throw new UsageError('--strength takes 0 to 100 %')
  const swing = args.number('swing') ?? STRAIGHT_SWING
  if (!(swing >= SWING_RANGE.min && swing <= SWING_RANGE.max))
    throw new UsageError(
      `--swing takes ${SWING_RANGE.min} (straight) to ${SWING_RANGE.max} %: the first step's share of each pair`,
    )
  if (args.text('swing') !== undefined && args.text('groove') !== undefined)
    throw new UsageError('--groove says where every step lies: leave --swing out')
  if (args.text('swing') !== undefined && !takesSwing(grid))
    throw new UsageError(`--swing goes with a straight grid, not ${grid}`)
  const windowMs = args.number('window')
  if (windowMs !== undefined && !(windowMs > 0)) throw new UsageError('--window takes ms, over 0')
  return { strength, swing, windowMs }
}

async function ruledBeats(
  args: Arguments,
  { strength, swing, windowMs }: AskedRule,
  input: string,
  rhythm: Rhythm,
  hits: readonly Hit[],
  terminal: Terminal,
): Promise<RuledBeats & GridBeats> {
  const beats = beatsFrom(args, input, rhythm, hits)
  const place = args.text('groove')
  const groove = place === undefined ? undefined : await grooveFrom(args, place, terminal)
  const grid = groove?.grid ?? gridFrom(args)
  return { ...beats, rule: { grid, strength, swing, windowMs, groove } }
}

/** A groove from a JSON file, or taken from a sound. */
export async function grooveFrom(
  args: Arguments,
  place: string,
  { err, progress }: Pick<Terminal, 'err' | 'progress'>,
): Promise<Groove> {
  if (/\.json$/i.test(place)) return readGroove(await readText(place), basename(place))
  const source = soundSource(sourceOf(await openSound(place, err)))
  const rhythm = drive(knowRhythm(source, { file: basename(place) }), progress)
  const hits = hitsOf(rhythm, source.sampleRate)
  const beats = gridBeats(rhythm.tempo, hits, {})
  // at the same tempo as what it is laid on, where nothing else is known of it
  const { own } = beats ?? beatsFrom(args, place, rhythm, hits)
  return takeGroove(hits, own, { grid: gridFrom(args), beatsPerBar: rhythm.tempo.beatsPerBar, bars: 1 })
}

/** Pins that lie within the sound. @throws {AppError} `pins/json` */
function heldWithin(pins: readonly Pin[], seconds: number): readonly Pin[] {
  const beyond = pins.find(({ source }) => source > seconds)
  if (beyond)
    throw new AppError('pins/json', {
      file: '--pins',
      why: `${beyond.source} s lies behind the end of the sound, at ${seconds.toFixed(3)} s`,
    })
  return pins
}

interface KinPlace {
  readonly file: string
  readonly output: string
}

function kinFrom(args: Arguments, input: string, output: string): KinPlace[] {
  const kin = args.texts('with').map((text) => {
    // the last colon: a path may hold one
    const colon = text.lastIndexOf(':')
    const [file, target] = [text.slice(0, colon), text.slice(colon + 1)]
    if (colon < 1 || !/\.wav$/i.test(target)) throw new UsageError(`--with takes KIN.wav:OUT.wav, not "${text}"`)
    return { file, output: target }
  })
  const targets = [output, ...kin.map((one) => one.output)]
  targets.forEach((target, n) => {
    if (targets.findIndex((other) => isSameFile(other, target) || other === target) !== n)
      throw new UsageError(`${target} would be written twice`)
  })
  for (const one of kin) if (isSameFile(one.file, input)) throw new UsageError(`${one.file} is IN itself`)
  return kin
}

export function checkKin(leadFile: string, lead: OpenSound, file: string, kin: OpenSound) {
  const [a, b] = [soundSource(sourceOf(lead)), soundSource(sourceOf(kin))]
  if (a.frames === b.frames && a.sampleRate === b.sampleRate) return
  throw new AppError('time/kin', {
    file,
    frames: b.frames,
    rate: b.sampleRate,
    lead: leadFile,
    leadFrames: a.frames,
    leadRate: a.sampleRate,
  })
}

function writeKin(
  kin: readonly { readonly sound: OpenSound; readonly output: string }[],
  recipe: Recipe,
  rhythm: Rhythm,
  { depth, rate }: Written,
  { out, err, progress }: Terminal,
) {
  const lead = sourceOf((kin[0] as { sound: OpenSound }).sound)
  const known: Analysis = drive(analyseTask(lead, needsOf(recipe), { attacks: rhythm.attacks }), progress)
  const sinks = kin.map(({ output }) => partialFile(output))
  try {
    const orders = kin.map(
      ({ sound }, n): KinOrder => ({
        sound: sourceOf(sound),
        format: depth ?? ownFormat(sound),
        markers: sound.markers,
        write: (bytes) => sinks[n]?.write(bytes),
      }),
    )
    const made = drive(exportKinTask(orders, recipe, known, rate), progress, { from: LISTENING, to: 1 })
    for (const sink of sinks) sink.keep()
    made.forEach(({ frames, clippedSamples, peak }, n) => {
      const { output } = kin[n] as (typeof kin)[number]
      if (clippedSamples > 0) err(`zumbet: ${output}: ${clippedSamples} samples were over full scale and were limited.`)
      out(`${output}: ${frames} frames, ${formatName(orders[n]?.format ?? '24')}, peak ${dbText(peak)} dBFS`)
    })
  } catch (error) {
    for (const sink of sinks) sink.discard()
    throw error
  }
}

function tell(
  pins: readonly Pin[],
  hits: readonly Hit[],
  rule: (RuledBeats & GridBeats) | undefined,
  rhythm: Rhythm,
  methodId: string,
  err: (line: string) => void,
) {
  const moved = pins.filter(({ source, own }) => own !== source)
  const widest = moved.reduce((most, { source, own }) => Math.max(most, Math.abs(own - source)), 0)
  if (rule) {
    const { grid } = rule.rule
    const first = 'firstBeat' in rule.onto ? ` from ${rule.onto.firstBeat.toFixed(4)} s` : ''
    const before = offGridFacts(hits, rule, rule.rule, rhythm)
    err(`zumbet: ${grid} at ${Number(rule.bpm.toFixed(3))} BPM${first}${before ? `: ${before.words}` : ''}`)
  }
  err(
    `zumbet: ${moved.length} of ${hits.length} attacks moved, by ${(1000 * widest).toFixed(1)} ms at most; method ${methodId}`,
  )
}
