import { createWriteStream, rmSync } from 'node:fs'
import { readFile, rename, rm, stat } from 'node:fs/promises'
import { basename, dirname, join, resolve } from 'node:path'
import {
  AppError,
  amplitudeToDb,
  checkRecipe,
  type DecodedFile,
  exportTask,
  frameCount,
  methodById,
  methods,
  peakOf,
  type Recipe,
  type SampleFormat,
  type SettingValues,
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
  const args = readArguments(words, ['method', 'stretch', 'semitones', 'cents', 'formants', 'set', 'depth', 'seed'], [])
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const recipe = recipeFrom(args)
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

function recipeFrom(args: Arguments): Recipe {
  const methodId = args.text('method')
  if (methodId === undefined) throw new UsageError(`--method is needed: ${methods.map((m) => m.id).join(', ')}`)
  const formants = args.text('formants') ?? 'move'
  if (formants !== 'move' && formants !== 'keep') throw new UsageError('--formants takes move or keep')
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

function places(args: Arguments, names: readonly string[]): readonly string[] {
  if (args.places.length !== names.length) {
    throw new UsageError(
      names.length === 0 ? `"${args.places[0]}" is one word too many` : `give ${names.join(' and ')}`,
    )
  }
  return args.places
}

async function open(file: string, err: (line: string) => void): Promise<DecodedFile> {
  let bytes: Uint8Array
  try {
    if ((await stat(file)).isDirectory()) throw new AppError('audio/not-audio', { file })
    bytes = await readFile(file)
  } catch (error) {
    if (error instanceof AppError) throw error
    const code = (error as NodeJS.ErrnoException).code
    throw code === 'ENOENT'
      ? new AppError('file/missing', { file })
      : new AppError('audio/unreadable', { file, why: String(code) }, error)
  }
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
