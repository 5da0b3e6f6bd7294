import { shortestInterval } from './target'

/** What people write for a length or a pitch, in whatever unit they think in. */

export interface LengthContext {
  /** of the source, or the part of it that is worked with */
  readonly frames: number
  readonly sampleRate: number
  /** output ÷ source length, as it is now */
  readonly stretch: number
  /** the source's own tempo, where it is known */
  readonly sourceBpm: number | undefined
  /** the tempo at which bars and beats are counted */
  readonly bpm: number
  readonly beatsPerBar: number
}

export type LengthUnit = '×' | '%' | 's' | 'bars' | 'BPM'

const UNITS: readonly (readonly [RegExp, LengthUnit | 'ms' | 'samples' | 'beats'])[] = [
  [/^(x|×|times)$/, '×'],
  [/^(%|percent|per cent)$/, '%'],
  [/^(s|sec|secs|second|seconds)$/, 's'],
  [/^(ms|msec|milliseconds?)$/, 'ms'],
  [/^(samples?|frames?|smp)$/, 'samples'],
  [/^(bars?|measures?)$/, 'bars'],
  [/^(beats?)$/, 'beats'],
  [/^(bpm)$/, 'BPM'],
]

const plain = (text: string) => text.trim().replace(/−/g, '-').replace(/,/g, '.').replace(/\s+/g, ' ').toLowerCase()

/**
 * A length as it is written: `1.25`, `125 %`, `1:05.250`, `480000 samples`, `8 bars`, `4/3`, `120 bpm`.
 * A sign adds to the length that there is, or takes from it: `+5 %`, `-0.5 s`, `+1 bar`.
 * A number without a unit is in the unit of the field.
 * @returns output ÷ source length; undefined where it is no length, or one that cannot be known here.
 */
export function readLength(text: string, unit: LengthUnit, context: LengthContext): number | undefined {
  const clean = plain(text)
  const signed = /^([+-])\s*(.+)$/.exec(clean)
  const sign = signed?.[1] === '-' ? -1 : 1
  const seconds = context.frames / context.sampleRate
  const written = signed ? (signed[2] as string) : clean
  const time = /^(?:(\d+):)?(\d{1,3}):(\d{1,2}(?:\.\d+)?)$/.exec(written)
  if (time) {
    const [, hours = '0', minutes = '0', rest = '0'] = time
    const stretch = (3600 * Number(hours) + 60 * Number(minutes) + Number(rest)) / seconds
    return positive(signed ? context.stretch + sign * stretch : stretch)
  }
  const match = /^(\d+\.?\d*|\.\d+)(?:\s*[/÷]\s*(\d+\.?\d*|\.\d+))?\s*([a-z%× ]*)$/.exec(written)
  if (!match) return undefined
  const value = Number(match[1]) / (match[2] === undefined ? 1 : Number(match[2]))
  const name = (match[3] as string).trim()
  const known = name === '' ? unit : UNITS.find(([pattern]) => pattern.test(name))?.[1]
  if (known === undefined || !Number.isFinite(value)) return undefined
  if (known === 'BPM') {
    if (context.sourceBpm === undefined) return undefined
    return positive(context.sourceBpm / (signed ? context.sourceBpm / context.stretch + sign * value : value))
  }
  // five per cent more of what there is, not of the source
  if (known === '%' && signed) return positive(context.stretch * (1 + (sign * value) / 100))
  const stretch = {
    '×': value,
    '%': value / 100,
    s: value / seconds,
    ms: value / 1000 / seconds,
    samples: value / context.frames,
    bars: (value * context.beatsPerBar * 60) / context.bpm / seconds,
    beats: (value * 60) / context.bpm / seconds,
  }[known]
  return positive(signed ? context.stretch + sign * stretch : stretch)
}

const positive = (value: number) => (Number.isFinite(value) && value > 0 ? value : undefined)

const NOTES: Readonly<Record<string, number>> = { c: 0, d: 2, e: 4, f: 5, g: 7, a: 9, b: 11 }

/**
 * A pitch as it is written: `2.5`, `2.5 st`, `+150 cents`, `-2 st 30 cents`.
 * A note (`F#`, `Bb`) is what the root is to become, by the shorter way.
 * A number without a unit is in the unit of the field.
 * @param root  pitch class of the source’s key, where it is known: notes need it.
 * @returns semitones; undefined where it is no pitch, or one that cannot be known here.
 */
export function readPitch(text: string, unit: 'st' | 'cents', root: number | undefined): number | undefined {
  const clean = plain(text)
  const note = /^([a-g])([#♯b♭]?)$/.exec(clean)
  if (note) {
    if (root === undefined) return undefined
    const bend = note[2] === '' ? 0 : note[2] === '#' || note[2] === '♯' ? 1 : -1
    return shortestInterval(root, (NOTES[note[1] as string] as number) + bend)
  }
  const match =
    /^([+-]?)\s*(\d+\.?\d*|\.\d+)\s*(st|semis?|semitones?|cents?|ct|c)?(?:\s*(\d+\.?\d*)\s*(?:cents?|ct|c))?$/.exec(
      clean,
    )
  if (!match) return undefined
  const [, sign, number, name = unit, more] = match
  const isCents = /^c/.test(name)
  if (isCents && more !== undefined) return undefined
  const semitones = (isCents ? Number(number) / 100 : Number(number)) + (more === undefined ? 0 : Number(more) / 100)
  return sign === '-' ? -semitones : semitones
}
