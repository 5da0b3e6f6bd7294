import { extname } from 'node:path'
import {
  CEILING_RANGE,
  CONTAINERS,
  type Container,
  containers,
  type Delivery,
  DITHERS,
  type Dither,
  endingsOf,
  type Level,
  LOUDNESS_RANGE,
  RATE_RANGE,
  rateFor,
  type SampleFormat,
  USUAL_CEILING_DB,
} from '../core'
import { type Arguments, UsageError } from './args'
import { type OpenSound, ownFormat, sourceOf } from './files'

/** What flags ask of a file that is written. */

export const OUTPUT_FLAGS = [
  'depth',
  'rate',
  'format',
  'kbps',
  'channels',
  'lufs',
  'peak',
  'ceiling',
  'dither',
  'markers',
] as const

/** What is not said is as the source has it. */
export interface Written {
  readonly container: Container
  readonly depth: SampleFormat | undefined
  readonly rate: number | undefined
  readonly mono: boolean
  readonly level: Level
  readonly dither: Dither
  readonly kbps: number | undefined
  readonly markers: 'keep' | 'drop'
}

/** What the flags say; the kind of file by the ending of its name where no flag says it. @throws {UsageError} */
export function outputFlags(args: Arguments, ending?: string): Written {
  const one = <Value extends string>(name: string, values: readonly Value[], usual: Value): Value => {
    const value = args.text(name) ?? usual
    if (!(values as readonly string[]).includes(value))
      throw new UsageError(`--${name} takes ${values.slice(0, -1).join(', ')} or ${values.at(-1)}`)
    return value as Value
  }
  const named = CONTAINERS.find((container) => endingsOf(container).includes(ending ?? ''))
  const container = args.text('format') === undefined ? (named ?? 'wav') : one('format', CONTAINERS, 'wav')
  const depth = args.text('depth') === undefined ? undefined : one('depth', ['16', '24', '32', '32f'] as const, '16')
  if (depth !== undefined && !['wav', 'flac'].includes(container))
    throw new UsageError(`--depth goes with WAV and FLAC: ${containers[container].label} has none`)
  if (container === 'flac' && depth !== undefined && depth !== '16' && depth !== '24')
    throw new UsageError('a FLAC file has 16 or 24 bits')
  const rate = args.number('rate')
  if (rate !== undefined && !(Number.isInteger(rate) && rate >= RATE_RANGE.min && rate <= RATE_RANGE.max))
    throw new UsageError(`--rate takes whole Hz, ${RATE_RANGE.min} to ${RATE_RANGE.max}`)
  if (rate !== undefined && rateFor(container, rate) !== rate)
    throw new UsageError(
      `${containers[container].label} files have ${(containers[container].rates ?? []).join(', ')} Hz, not ${rate}`,
    )
  const { kbps: choices } = containers[container]
  const kbps = args.number('kbps')
  if (kbps !== undefined && !choices?.choices.includes(kbps))
    throw new UsageError(
      choices ? `--kbps takes ${choices.choices.join(', ')}` : `--kbps goes with MP3 and Opus, not with ${container}`,
    )
  return {
    container,
    depth,
    rate,
    mono: one('channels', ['keep', 'mono'] as const, 'keep') === 'mono',
    level: levelFrom(args),
    dither: one('dither', DITHERS, 'flat'),
    kbps,
    markers: one('markers', ['keep', 'drop'] as const, 'keep'),
  }
}

function levelFrom(args: Arguments): Level {
  const number = (name: string, { min, max }: { readonly min: number; readonly max: number }, unit: string) => {
    const value = args.number(name)
    if (value !== undefined && !(value >= min && value <= max))
      throw new UsageError(`--${name} takes ${min} to ${max} ${unit}`)
    return value
  }
  const lufs = number('lufs', LOUDNESS_RANGE, 'LUFS')
  const peak = number('peak', CEILING_RANGE, 'dBTP')
  const ceiling = number('ceiling', CEILING_RANGE, 'dBTP')
  if (lufs !== undefined && peak !== undefined)
    throw new UsageError('--lufs and --peak both say how loud: give one of them')
  if (ceiling !== undefined && lufs === undefined) throw new UsageError('--ceiling goes with --lufs')
  if (lufs !== undefined) return { kind: 'loudness', lufs, ceilingDb: ceiling ?? USUAL_CEILING_DB }
  return peak === undefined ? { kind: 'as-is' } : { kind: 'peak', ceilingDb: peak }
}

/** What the flags say of a file of this name. @throws {UsageError} where they are at odds with it. */
export function checkOutput(args: Arguments, output: string): Written {
  const ending = extname(output).slice(1).toLowerCase()
  const written = outputFlags(args, ending)
  if (args.text('format') === undefined && !endingsOf(written.container).includes(ending))
    throw new UsageError(`"${output}" must end in ${CONTAINERS.map((one) => `.${containers[one].ending}`).join(', ')}`)
  checkEnding(output, written.container)
  return written
}

/** @throws {UsageError} where a name does not end as files of this kind do. */
export function checkEnding(output: string, container: Container) {
  const endings = endingsOf(container)
  if (!endings.includes(extname(output).slice(1).toLowerCase()))
    throw new UsageError(
      `"${output}" must end in ${endings.map((one) => `.${one}`).join(' or ')}, as ${containers[container].label} files do`,
    )
}

/** What a WAV file alone can be. @throws {UsageError} for what asks for more. */
export function checkPlainOutput(args: Arguments, output: string): Written {
  if (!/\.wav$/i.test(output)) throw new UsageError(`the result is a WAV file: "${output}" must end in .wav`)
  return outputFlags(args, 'wav')
}

/** The same settled for a sound: as deep as it is, and at its rate or the next one that the format has. */
export const deliveryOf = (
  { container, depth, rate, mono, level, dither, kbps }: Written,
  sound: { readonly depth?: OpenSound['depth']; readonly sampleRate: number },
): Delivery => {
  const hz = rate ?? rateFor(container, sound.sampleRate)
  return {
    container,
    depth: depth ?? ownFormat({ depth: sound.depth }),
    ...(hz !== sound.sampleRate && { rate: hz }),
    mono,
    level,
    dither,
    kbps,
  }
}

export const deliveryFor = (written: Written, sound: OpenSound) =>
  deliveryOf(written, { depth: sound.depth, sampleRate: sourceOf(sound).sampleRate })
