import { createWriteStream, rmSync } from 'node:fs'
import { mkdir, readFile, rename, rm, stat } from 'node:fs/promises'
import { basename, dirname, join, resolve } from 'node:path'
import {
  AppError,
  amplitudeToDb,
  analyse,
  checkRecipe,
  createLayers,
  type DecodedFile,
  detectAttacks,
  exportTask,
  finish,
  frameCount,
  methodById,
  methods,
  peakOf,
  type Recipe,
  readMapPoints,
  readPitchPoints,
  type SampleFormat,
  type SettingValues,
  writeWav,
} from '../core'
import { decodeFile } from '../host/decodeFile'
import { errorText } from '../host/errorText'
import { type Arguments, readArguments, UsageError } from './args'
import { help } from './help'

/** Run the command: results go to `out`, the rest to `err`; returns the exit code. */
export async function main(
  words: readonly string[],
  out: (line: string) => void,
  err: (line: string) => void,
): Promise<number> {
  try {
    const [command, ...rest] = words
    if (command === 'render') await render(rest, out, err)
    else if (command === 'methods') listMethods(rest, out)
    else if (command === 'info') await info(rest, out, err)
    else if (command === 'analyse') await analyseSound(rest, out, err)
    else if (command === 'layers') await writeLayers(rest, out, err)
    else if (command === '--help' || command === 'help') out(help)
    else throw new UsageError(command === undefined ? 'say what to do' : `there is no command "${command}"`)
    return 0
  } catch (error) {
    if (error instanceof UsageError) {
      err(`zumbet: ${error.message}\n\n${help}`)
      return 2
    }
    err(`zumbet: ${errorText(error)}`)
    return 1
  }
}

async function render(words: readonly string[], out: (line: string) => void, err: (line: string) => void) {
  const args = readArguments(
    words,
    [
      'method',
      'stretch',
      'semitones',
      'cents',
      'formants',
      'formant-semitones',
      'set',
      'depth',
      'seed',
      'map',
      'pitch-map',
      'hold-attacks',
    ],
    [],
  )
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const recipe = await recipeFrom(args)
  const depth = args.text('depth')
  if (depth !== undefined && !['16', '24', '32', '32f'].includes(depth))
    throw new UsageError('--depth takes 16, 24, 32 or 32f')
  if (!/\.wav$/i.test(output)) throw new UsageError(`the result is a WAV file: "${output}" must end in .wav`)
  checkRecipe(recipe)

  const source = await open(input, err)
  const format = (depth as SampleFormat | undefined) ?? ownFormat(source)
  const order = {
    recipe,
    format,
    markers: source.markers,
    sourceBits: source.depth?.float ? undefined : source.depth?.bits,
  }
  const sink = await partialFile(output)
  try {
    const task = exportTask(source.audio, order, (bytes) => sink.write(bytes))
    // pieces are written as they are made: a result never lies in memory whole
    let step = task.next()
    while (!step.done) {
      await sink.drained()
      step = task.next()
    }
    const facts = step.value
    await sink.keep()
    const rate = source.audio.sampleRate
    if (facts.clippedSamples > 0) {
      err(`zumbet: ${facts.clippedSamples} samples were over full scale and were limited; --depth 32f keeps them.`)
    }
    out(
      `${output}: ${facts.frames} frames, ${(facts.frames / rate).toFixed(3)} s, ${rate} Hz, ${source.audio.channels.length} channels, ${formatName(format)}, peak ${dbText(facts.peak)} dBFS`,
    )
  } catch (error) {
    await sink.discard()
    throw error
  }
}

async function recipeFrom(args: Arguments): Promise<Recipe> {
  const methodId = args.text('method')
  if (methodId === undefined) throw new UsageError(`--method is needed: ${methods.map((m) => m.id).join(', ')}`)
  const formants = args.text('formants') ?? 'move'
  if (formants !== 'move' && formants !== 'keep' && formants !== 'shift') {
    throw new UsageError('--formants takes move, keep or shift')
  }
  const formantSemitones = args.number('formant-semitones')
  if (formantSemitones !== undefined && formants !== 'shift') {
    throw new UsageError('--formant-semitones goes with --formants shift')
  }
  const mapFile = args.text('map')
  if (mapFile !== undefined && args.text('stretch') !== undefined) {
    throw new UsageError('--map says how long everything lasts: leave --stretch out')
  }
  const pitchFile = args.text('pitch-map')
  const holdPercent = args.number('hold-attacks')
  const schema = methodById(methodId).settings
  const settings: Record<string, number | string> = {}
  for (const pair of args.texts('set')) {
    const equals = pair.indexOf('=')
    if (equals < 1) throw new UsageError(`--set takes NAME=VALUE, not "${pair}"`)
    const name = pair.slice(0, equals)
    const value = pair.slice(equals + 1)
    const asNumber = value.trim() === '' ? Number.NaN : Number(value)
    settings[name] = schema[name]?.type === 'number' ? asNumber : value
  }
  return {
    version: 1,
    stretch: args.number('stretch') ?? 1,
    pitchSemitones: (args.number('semitones') ?? 0) + (args.number('cents') ?? 0) / 100,
    formants,
    methodId,
    settings: settings as SettingValues,
    seed: args.number('seed') ?? 1,
    ...(formantSemitones !== undefined && { formantSemitones }),
    ...(mapFile !== undefined && { map: readMapPoints(await readText(mapFile), basename(mapFile)) }),
    ...(pitchFile !== undefined && { pitchLine: readPitchPoints(await readText(pitchFile), basename(pitchFile)) }),
    ...(holdPercent !== undefined && { holdPercent }),
  }
}

function listMethods(words: readonly string[], out: (line: string) => void) {
  const args = readArguments(words, [], ['json'])
  places(args, [])
  if (args.flag('json')) {
    const rows = methods.map((method) => ({
      id: method.id,
      family: method.family,
      label: method.label,
      use: method.use,
      needs: method.needs,
      exactSeek: method.exactSeek,
      tiesPitchToSpeed: method.tiesPitchToSpeed,
      latencyFrames: method.latencyFrames(
        Object.fromEntries(Object.entries(method.settings).map(([name, s]) => [name, s.default])),
        48_000,
      ),
      timesRealTime: method.timesRealTime,
      settings: Object.entries(method.settings).map(([name, setting]) => ({ name, ...setting })),
    }))
    out(JSON.stringify(rows, null, 2))
    return
  }
  for (const method of methods) {
    out(`${method.id.padEnd(10)} ${method.family.padEnd(10)} ${method.label}: ${method.use}`)
    for (const [name, s] of Object.entries(method.settings)) {
      const takes = s.type === 'number' ? `${s.min} to ${s.max} ${s.unit}` : s.options.map((o) => o.value).join(' | ')
      out(`  --set ${name}=${s.default}`.padEnd(36) + takes)
    }
  }
}

async function info(words: readonly string[], out: (line: string) => void, err: (line: string) => void) {
  const args = readArguments(words, [], ['json'])
  const [input] = places(args, ['IN']) as [string]
  const source = await open(input, err)
  const { audio, container, depth, markers } = source
  const frames = frameCount(audio)
  const peak = peakOf(audio.channels)
  if (args.flag('json')) {
    out(
      JSON.stringify({
        file: input,
        container,
        frames,
        seconds: frames / audio.sampleRate,
        sampleRate: audio.sampleRate,
        channels: audio.channels.length,
        depth: depth ? `${depth.bits}${depth.float ? 'f' : ''}` : null,
        peak,
        peakDb: peak > 0 ? amplitudeToDb(peak) : null,
        cues: markers.cues,
        loops: markers.loops,
      }),
    )
    return
  }
  out(
    `${input}: ${frames} frames, ${(frames / audio.sampleRate).toFixed(3)} s, ${audio.sampleRate} Hz, ${audio.channels.length} channels, ${container}${depth ? ` ${depth.bits} bits${depth.float ? ' float' : ''}` : ''}, peak ${dbText(peak)} dBFS`,
  )
}

async function analyseSound(words: readonly string[], out: (line: string) => void, err: (line: string) => void) {
  const args = readArguments(words, ['sensitivity'], ['json'])
  const [input] = places(args, ['IN']) as [string]
  const sensitivity = args.number('sensitivity') ?? 50
  if (!(sensitivity >= 0 && sensitivity <= 100)) throw new UsageError('--sensitivity takes 0 to 100')
  const { audio } = await open(input, err)
  const found = finish(detectAttacks(audio, { sensitivity: sensitivity / 100 }))
  const attacks = found.map(({ frame, strength }) => ({
    seconds: Number((frame / audio.sampleRate).toFixed(6)),
    strength: Number(strength.toFixed(4)),
  }))
  if (args.flag('json')) out(JSON.stringify({ attacks }))
  else {
    out(`${input}: ${attacks.length} attacks`)
    for (const { seconds, strength } of attacks) out(`  ${seconds.toFixed(4)} s  ${Math.round(100 * strength)} %`)
  }
}

async function writeLayers(words: readonly string[], out: (line: string) => void, err: (line: string) => void) {
  const args = readArguments(words, ['depth'], [])
  const [input, folder] = places(args, ['IN', 'OUTDIR']) as [string, string]
  const depth = args.text('depth') ?? '32f'
  if (!['16', '24', '32', '32f'].includes(depth)) throw new UsageError('--depth takes 16, 24, 32 or 32f')
  const { audio, markers } = await open(input, err)
  const { attacks } = analyse(audio, ['attacks'])
  const layers = createLayers(
    audio,
    (attacks ?? []).map((attack) => attack.frame),
  )
  layers.ensure(0, frameCount(audio))
  try {
    await mkdir(folder, { recursive: true })
  } catch (error) {
    throw new AppError('file/unwritable', { file: folder, why: String((error as NodeJS.ErrnoException).code) }, error)
  }
  const base = basename(input).replace(/\.[^.]+$/, '')
  for (const name of ['sines', 'attacks', 'noise'] as const) {
    const file = join(folder, `${base}_${name}.wav`)
    const format = depth as SampleFormat
    const sink = await partialFile(file)
    try {
      sink.write(writeWav(layers[name], { format, markers, dither: format === '16', seed: 1 }))
      await sink.keep()
    } catch (error) {
      await sink.discard()
      throw error
    }
    out(
      `${file}: ${frameCount(audio)} frames, ${formatName(format)}, peak ${dbText(peakOf(layers[name].channels))} dBFS`,
    )
  }
}

function places(args: Arguments, names: readonly string[]): readonly string[] {
  if (args.places.length !== names.length) {
    throw new UsageError(
      names.length === 0 ? `"${args.places[0]}" is one word too many` : `give ${names.join(' and ')}`,
    )
  }
  return args.places
}

async function readBytes(file: string): Promise<Uint8Array> {
  try {
    if ((await stat(file)).isDirectory()) throw new AppError('audio/not-audio', { file })
    return await readFile(file)
  } catch (error) {
    if (error instanceof AppError) throw error
    const code = (error as NodeJS.ErrnoException).code
    throw code === 'ENOENT'
      ? new AppError('file/missing', { file })
      : new AppError('audio/unreadable', { file, why: String(code) }, error)
  }
}

const readText = async (file: string) => new TextDecoder().decode(await readBytes(file))

async function open(file: string, err: (line: string) => void): Promise<DecodedFile> {
  const bytes = await readBytes(file)
  const decoded = await decodeFile(bytes, basename(file))
  for (const warning of decoded.warnings) err(`zumbet: ${errorText(new AppError(warning.code, warning.details))}`)
  return decoded
}

function ownFormat(source: DecodedFile): SampleFormat {
  const { depth } = source
  if (!depth) return '24'
  if (depth.float) return '32f'
  return depth.bits <= 16 ? '16' : depth.bits <= 24 ? '24' : '32'
}

const formatName = (format: SampleFormat) => (format === '32f' ? '32-bit float' : `${format} bits`)
const dbText = (peak: number) => (peak > 0 ? amplitudeToDb(peak).toFixed(2) : '-inf')

/** A file that only comes to its name when it is whole: until then it is a neighbour that `discard` removes. */
async function partialFile(target: string) {
  const place = join(dirname(resolve(target)), `.${basename(target)}.${process.pid}.part`)
  const unwritable = (error: unknown) =>
    new AppError(
      'file/unwritable',
      { file: target, why: String((error as NodeJS.ErrnoException).code ?? error) },
      error,
    )
  const stream = createWriteStream(place)
  const removeAtExit = () => rmSync(place, { force: true })
  process.once('exit', removeAtExit)
  let failed: unknown
  stream.on('error', (error) => {
    failed = error
  })
  await new Promise<void>((done, fail) => {
    stream.once('open', () => done())
    stream.once('error', (error) => fail(unwritable(error)))
  })
  return {
    write(bytes: Uint8Array) {
      stream.write(bytes)
    },
    async drained() {
      if (failed) throw unwritable(failed)
      if (!stream.writableNeedDrain) return
      await new Promise<void>((done) => {
        const settle = () => {
          stream.off('drain', settle)
          stream.off('error', settle)
          done()
        }
        stream.on('drain', settle)
        stream.on('error', settle)
      })
    },
    async keep() {
      await new Promise<void>((done, fail) => {
        stream.once('error', (error) => fail(unwritable(error)))
        stream.end(() => done())
      })
      try {
        await rename(place, target)
        process.off('exit', removeAtExit)
      } catch (error) {
        throw unwritable(error)
      }
    },
    async discard() {
      stream.destroy()
      await rm(place, { force: true })
    },
  }
}
