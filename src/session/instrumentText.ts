import { keyText } from './notesFile'

/** A sample of an instrument, and the keys that play it. Keys are MIDI's, 69 = A at 440 Hz. */
export interface InstrumentZone {
  /** relative to where the text lies */
  readonly file: string
  /** the key at which it sounds as it is */
  readonly key: number
  readonly low: number
  readonly high: number
  /** frames, the end exclusive */
  readonly loop?: { readonly start: number; readonly end: number }
}

export interface InstrumentFile {
  readonly name: string
  readonly zones: readonly InstrumentZone[]
  /** held as long as the key, to its end whatever the key does, or round and round */
  readonly play: 'hold' | 'through' | 'loop'
  readonly attackMs: number
  readonly releaseMs: number
}

const MODES = { hold: 'no_loop', through: 'one_shot', loop: 'loop_continuous' } as const

/**
 * An instrument as the open text that samplers read: a region for each zone.
 * Lines end with a line feed; paths have forward slashes.
 */
export function instrumentText({ name, zones, play, attackMs, releaseMs }: InstrumentFile): string {
  const seconds = (ms: number) => String(Number((ms / 1000).toFixed(4)))
  const lines = zones.map(({ file, key, low, high, loop }) =>
    [
      '<region>',
      `sample=${file}`,
      `lokey=${low}`,
      `hikey=${high}`,
      `pitch_keycenter=${key}`,
      // the last frame of a loop is one of it
      ...(loop && play === 'loop' ? [`loop_start=${loop.start}`, `loop_end=${loop.end - 1}`] : []),
    ].join(' '),
  )
  return [
    `// ${name}, made by Zumbet`,
    `<global> loop_mode=${MODES[play]} ampeg_attack=${seconds(attackMs)} ampeg_release=${seconds(releaseMs)}`,
    ...lines,
    '',
  ].join('\n')
}

/**
 * The keys that are sampled, every so many semitones from the root, and which keys play each: half way to the next.
 * @throws {RangeError} if `every` is not a whole number from 1 on, or no key lies between the ends.
 */
export function zonesOf(
  root: number,
  every: number,
  from: number,
  to: number,
): Omit<InstrumentZone, 'file' | 'loop'>[] {
  if (!(Number.isInteger(every) && every >= 1))
    throw new RangeError(`zonesOf: every must be whole and from 1 on, got ${every}`)
  const first = Math.max(0, Math.round(from))
  const last = Math.min(127, Math.round(to))
  if (!(first <= last)) throw new RangeError(`zonesOf: from must not lie above to, got ${from} and ${to}`)
  const middle = Math.round(root)
  const keys: number[] = []
  for (let key = middle - Math.floor((middle - first) / every) * every; key <= last; key += every)
    if (key >= first) keys.push(key)
  // none of them falls between the ends: the nearest end plays it
  if (keys.length === 0) keys.push(Math.abs(first - middle) < Math.abs(last - middle) ? first : last)
  return keys.map((key, n) => ({
    key,
    low: n === 0 ? first : Math.floor(((keys[n - 1] as number) + key) / 2) + 1,
    high: n === keys.length - 1 ? last : Math.floor((key + (keys[n + 1] as number)) / 2),
  }))
}

/** What a sample at this key is called: `057_A3`; without the letters that some file systems take ill. */
export const sampleName = (key: number): string =>
  `${String(key).padStart(3, '0')}_${keyText(key).replace('♯', 's').replace('♭', 'b').replace('−', '-')}`
