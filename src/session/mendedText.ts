import type { Mended } from './mend'

const MOST_TOLD = 3

/** what fields are called on screen; groups of them have no name there */
const WORDS: Readonly<Record<string, string>> = {
  target: '',
  settings: '',
  facts: '',
  hand: '',
  follows: 'follows',
  methodId: 'method',
  pitchSemitones: 'pitch',
  formantSemitones: 'formant shift',
  holdPercent: 'attack hold',
  sampleRate: 'sample rate',
  bpm: 'tempo',
  firstBeat: 'first beat',
  beatsPerBar: 'beats a bar',
  selection: 'loop',
}

/** A path as people would say it: things in a list counted from 1. */
function placeText(path: readonly string[]): string {
  const words: string[] = []
  for (let n = 0; n < path.length; n++) {
    const name = path[n] as string
    const next = path[n + 1]
    if (next !== undefined && /^\d+$/.test(next) && name.endsWith('s')) {
      words.push(`${name.slice(0, -1)} ${Number(next) + 1}`)
      n++
    } else words.push(WORDS[name] ?? name)
  }
  return words.filter(Boolean).join(' ')
}

/** What was mended, in words for people: the first few, and how many more. */
export function mendedText(mended: readonly Mended[], nameOf: (source: number) => string | undefined): string {
  const told = mended.slice(0, MOST_TOLD).map((one) => {
    const [top, n, ...rest] = one.path.split('.')
    const name = top === 'sources' && n !== undefined ? (nameOf(Number(n)) ?? `source ${Number(n) + 1}`) : undefined
    const place = placeText(rest)
    const what = name === undefined ? placeText(one.path.split('.')) : place ? `${name}: ${place}` : name
    return 'now' in one ? `${what} was ${short(one.was)}, is ${short(one.now)}` : `${what} (${short(one.was)}) left out`
  })
  const more = mended.length - told.length
  return `${told.join('; ')}${more > 0 ? `; and ${more} more` : ''}`
}

function short(value: unknown): string {
  if (typeof value === 'string') return `“${value.length > 24 ? `${value.slice(0, 24)}…` : value}”`
  if (typeof value === 'object' && value !== null) {
    const { start, end, name } = value as { start?: unknown; end?: unknown; name?: unknown }
    if (typeof start === 'number' && typeof end === 'number') return `${start} to ${end}`
    return typeof name === 'string' ? short(name) : 'something else'
  }
  return typeof value === 'number' ? String(Number(value.toPrecision(6))) : String(value)
}
