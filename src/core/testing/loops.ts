import type { AudioBlock } from '../audio/block'
import { createRandom, gaussian, type Random } from '../dsp/random'

/** A loop whose tempo, beats and bars are known because it was made from them. */
export interface LoopItem {
  readonly name: string
  readonly audio: AudioBlock
  readonly bpm: number
  readonly beatsPerBar: number
  readonly bars: number
  /** what hangs over the last bar line, ms */
  readonly overhangMs: number
  /** seconds of every beat */
  readonly beats: readonly number[]
}

export interface LoopOptions {
  readonly seed: number
  readonly bpm: number
  readonly style: LoopStyle
  readonly bars?: number
  /** share of a sixteenth by which every second one comes late, 0–0.4 */
  readonly swing?: number
  /** how loosely hits are placed, ms of standard deviation */
  readonly looseMs?: number
  readonly overhangMs?: number
}

const RATE = 44_100

type Part = 'low' | 'back' | 'tick' | 'ghost' | 'bass' | 'stab' | 'pluck'

/** What sounds on each of sixteen steps of a bar: a letter is a level, `.` is nothing. */
interface Pattern {
  readonly parts: Partial<Record<Part, readonly string[]>>
  readonly steps?: number
}

const patterns = {
  fourFloor: {
    parts: { low: ['9...9...9...9...'], back: ['....7.......7...'], tick: ['..6...6...6...6.'] },
  },
  fourFloorDense: {
    parts: { low: ['9...9...9...9...'], back: ['....7.......7..4'], tick: ['5373537353735373'] },
  },
  backbeat: {
    parts: { low: ['9.......9.......', '9.......9.6.....'], back: ['....9.......9...'], tick: ['6.5.6.5.6.5.6.5.'] },
  },
  backbeatQuarters: {
    parts: { low: ['9.....7.9.......'], back: ['....9.......9...'], tick: ['6...6...6...6...'] },
  },
  sixteenths: {
    parts: { low: ['9.....6.9.......'], back: ['....9.......9...'], tick: ['7364736473647364'] },
  },
  syncopated: {
    parts: {
      low: ['9..6..7...6.....', '9..6......7..5..'],
      back: ['....9.......9...'],
      ghost: ['.......4.3.....4'],
      tick: ['6.4.6.4.6.4.6.4.'],
    },
  },
  broken: {
    parts: {
      low: ['9.........7.....', '9.8.......7.....'],
      back: ['....9..5.4..9...', '....9..5.4....8.'],
      tick: ['6.6.6.6.6.6.6.6.'],
    },
  },
  stutter: {
    parts: { low: ['9..7..8.....7.5.'], back: ['....9.......9.6.'], tick: ['6366636663666366'] },
  },
  sparse: { parts: { low: ['9.......8.......'], back: ['....9.......9...'] } },
  sparser: { parts: { low: ['9.........7.....'], back: ['....9.......9...'] } },
  threeFour: { parts: { low: ['9...........'], back: ['....7...7...'], tick: ['6.4.6.4.6.4.'] }, steps: 12 },
  shaker: { parts: { tick: ['9353735393537353'], low: ['7...............'] } },
  ticksOnly: { parts: { tick: ['9.5.7.5.9.5.7.54'] } },
  hand: {
    parts: { low: ['9.....7...7.....', '9.....7.....7...'], ghost: ['..5.5...5...5.5.'], back: ['...7....7...7...'] },
  },
  rolling: {
    parts: { low: ['9...6...8...6...'], ghost: ['.64..64..64..64.'], back: ['............7...'] },
  },
  knocks: { parts: { back: ['9..5..7.8..5..6.'], ghost: ['....5.......5...'] } },
  bassAndTick: { parts: { bass: ['9.7.8.7.9.7.8.7.'], tick: ['....6.......6...'] } },
  bassLine: { parts: { bass: ['9...7.6.8...7...', '9...7.6.8..6..5.'] } },
  bassGroove: {
    parts: {
      bass: ['9..7..6.8.....6.'],
      low: ['9.......8.......'],
      back: ['....8.......8...'],
      tick: ['5.5.5.5.5.5.5.5.'],
    },
  },
  walking: { parts: { bass: ['9...8...9...8...'], tick: ['6...6.4.6...6.4.'] } },
  arpeggio: { parts: { pluck: ['9567867896757678'] } },
  arpeggioEighths: { parts: { pluck: ['9.6.8.6.9.6.7.8.'], low: ['7.......7.......'] } },
  stabs: { parts: { stab: ['..8...8...8...8.'], low: ['9...9...9...9...'] } },
  strums: { parts: { stab: ['9...6.6.8...6...'] } },
  pulse: { parts: { stab: ['9...7...8...7...'], tick: ['..5...5...5...5.'] } },
} as const satisfies Record<string, Pattern>

/** how likely each sixteenth of a bar carries something, by its place in the metre */
const METRE = [1, 0.1, 0.35, 0.2, 0.6, 0.12, 0.4, 0.2, 0.75, 0.12, 0.4, 0.22, 0.6, 0.12, 0.38, 0.2] as const
const TICKS = [
  '6...6...6...6...',
  '6.5.6.5.6.5.6.5.',
  '..6...6...6...6.',
  '7364736473647364',
  '6.666.666.666.66',
] as const
const LOWS = [
  '9...9...9...9...',
  '9.......9.......',
  '9.......8.6.....',
  '9.....7...8.....',
  '9..7......8.....',
] as const
const BACKS = ['....9.......9...', '....9..4....9...', '....8.......8..5', '....9.....5.9...'] as const

/** A pattern nobody wrote down: parts of common ones and hits at random, likelier where the metre is strong. */
function drawnPattern(random: Random): Pattern {
  const pick = (rows: readonly string[]) => rows[Math.floor(rows.length * random())] as string
  const scatter = (density: number) =>
    METRE.map((weight) =>
      random() < Math.min(0.97, weight * density) ? String(Math.round(3 + 4 * weight + 2 * random())) : '.',
    ).join('')
  const worn = (row: string, loss: number) =>
    [...row].map((step, i) => (step !== '.' && i % 4 !== 0 && random() < loss ? '.' : step)).join('')
  /** two bars: the second is the first with a few changes */
  const twice = (row: string) => [
    row,
    [...row]
      .map((step, i) => (i > 0 && random() < 0.1 ? (step === '.' && random() < 0.4 ? '5' : step) : step))
      .join(''),
  ]
  const parts: Partial<Record<Part, readonly string[]>> = {}
  const kind = random()
  if (kind < 0.55) {
    parts.low = twice(random() < 0.6 ? pick(LOWS) : `9${scatter(0.7).slice(1)}`)
    if (random() < 0.85) parts.back = twice(pick(BACKS))
    if (random() < 0.75) parts.tick = twice(worn(pick(TICKS), 0.15 * random()))
    if (random() < 0.3) parts.ghost = twice(scatter(0.5))
    if (random() < 0.25) parts.bass = twice(`9${scatter(0.8).slice(1)}`)
  } else if (kind < 0.72) {
    parts.low = twice(`9${scatter(0.6).slice(1)}`)
    parts.ghost = twice(scatter(1.1))
    if (random() < 0.5) parts.tick = twice(worn(pick(TICKS), 0.2))
    if (random() < 0.3) parts.back = twice(scatter(0.5))
  } else if (kind < 0.86) {
    parts.bass = twice(`9${scatter(1 + random()).slice(1)}`)
    if (random() < 0.5) parts.tick = twice(worn(pick(TICKS), 0.1))
    if (random() < 0.4) parts.back = twice(pick(BACKS))
  } else {
    if (random() < 0.6) parts.pluck = twice(random() < 0.5 ? '9567867896757678' : `9${scatter(1.6).slice(1)}`)
    else parts.stab = twice(`9${scatter(1).slice(1)}`)
    if (random() < 0.5) parts.low = twice(pick(LOWS))
  }
  return { parts }
}

export type LoopStyle = keyof typeof patterns | 'drawn'
/** all but the drawn one */
export const loopStyles = Object.keys(patterns) as readonly LoopStyle[]

/** Play one loop. Hits ring on over the bar line into the overhang, and are cut at the end as a cut file is. */
export function makeLoop(options: LoopOptions): LoopItem {
  const { seed, bpm, style, bars = 2, swing = 0, looseMs = 0, overhangMs = 0 } = options
  const random = createRandom(seed)
  const pattern: Pattern = style === 'drawn' ? drawnPattern(random) : patterns[style]
  const steps = pattern.steps ?? 16
  const beatsPerBar = steps / 4
  const beat = 60 / bpm
  const seconds = bars * beatsPerBar * beat + overhangMs / 1000
  const samples = new Float32Array(Math.round(seconds * RATE))
  const kit = makeKit(random)
  for (const [part, rows] of Object.entries(pattern.parts) as [Part, readonly string[]][]) {
    for (let bar = 0; bar < bars; bar++) {
      const row = rows[bar % rows.length] as string
      for (let step = 0; step < steps; step++) {
        const level = Number(row[step] === '.' ? 0 : row[step]) / 9
        if (level === 0) continue
        const late = step % 2 === 1 ? swing * (beat / 4) : 0
        const loose = (looseMs / 1000) * gaussian(random)
        const at = Math.max(0, (bar * beatsPerBar + step / 4) * beat + late + loose)
        kit[part](samples, at, level * (0.85 + 0.3 * random()), { bar, step, random, beat })
      }
    }
  }
  // what hangs over is the next bar's first hit fading, or room: here a little of both
  if (overhangMs > 0)
    kit.ghost(samples, bars * beatsPerBar * beat + 0.4 * (overhangMs / 1000), 0.3, { bar: 0, step: 0, random, beat })
  let peak = 0
  for (const value of samples) peak = Math.max(peak, Math.abs(value))
  for (let i = 0; i < samples.length; i++) samples[i] = (0.85 * (samples[i] as number)) / peak + 1e-4 * (random() - 0.5)
  return {
    name: `${style} ${bpm.toFixed(1)} ×${bars} #${seed}`,
    audio: { sampleRate: RATE, channels: [samples] },
    bpm,
    beatsPerBar,
    bars,
    overhangMs,
    beats: Array.from({ length: bars * beatsPerBar }, (_, n) => n * beat),
  }
}

interface Stroke {
  readonly bar: number
  readonly step: number
  readonly random: Random
  readonly beat: number
}
type Play = (out: Float32Array, at: number, level: number, stroke: Stroke) => void

/** Add a partial that rings down, by turning a pointer: a sine for every sample would take most of the tests' time. */
function addRinging(out: Float32Array, start: number, end: number, hz: number, level: number, decay: number) {
  const fall = Math.exp(-1 / (decay * RATE))
  const re = fall * Math.cos((2 * Math.PI * hz) / RATE)
  const im = fall * Math.sin((2 * Math.PI * hz) / RATE)
  let x = level
  let y = 0
  const rise = Math.round(0.002 * RATE)
  for (let i = start; i < end; i++) {
    out[i] = (out[i] as number) + y * Math.min(1, (i - start) / rise)
    const next = x * re - y * im
    y = x * im + y * re
    x = next
  }
}

function makeKit(random: Random): Record<Part, Play> {
  const lowHz = 50 + 30 * random()
  const backHz = 170 + 90 * random()
  const tickDecay = 0.015 + 0.05 * random()
  const tickTone = random()
  const root = 36 + Math.floor(12 * random())
  const scale = random() < 0.5 ? [0, 3, 7, 10, 12] : [0, 4, 7, 9, 12]
  const hz = (midi: number) => 440 * 2 ** ((midi - 69) / 12)
  const write = (out: Float32Array, at: number, seconds: number, of: (t: number) => number) => {
    const start = Math.round(at * RATE)
    const end = Math.min(out.length, start + Math.round(seconds * RATE))
    for (let i = start; i < end; i++) out[i] = (out[i] as number) + of((i - start) / RATE)
  }
  const tone = (out: Float32Array, at: number, level: number, midi: number, decay: number, partials: number) => {
    const seconds = Math.min(1.2, 5 * decay)
    const start = Math.round(at * RATE)
    const end = Math.min(out.length, start + Math.round(seconds * RATE))
    for (let n = 1; n <= partials; n++)
      addRinging(out, start, end, hz(midi) * n, (0.35 * level) / n, decay / (1 + n / 2))
  }
  const hiss = (cut: number) => {
    let last = 0
    return (r: Random) => {
      const x = 2 * r() - 1
      const high = x - last
      last += cut * (x - last)
      return high
    }
  }
  return {
    low: (out, at, level) =>
      write(out, at, 0.5, (t) => {
        const phase = lowHz * t + lowHz * 1.6 * 0.03 * (1 - Math.exp(-t / 0.03))
        return level * Math.sin(2 * Math.PI * phase) * Math.exp(-t / 0.12) * Math.min(1, t / 0.001)
      }),
    back: (out, at, level, { random }) => {
      const n = hiss(0.15)
      write(
        out,
        at,
        0.35,
        (t) =>
          level *
          (0.5 * Math.sin(2 * Math.PI * backHz * t) * Math.exp(-t / 0.06) + 0.4 * n(random) * Math.exp(-t / 0.07)),
      )
    },
    tick: (out, at, level, { random }) => {
      const n = hiss(0.5 + 0.3 * tickTone)
      write(out, at, 6 * tickDecay, (t) => level * 0.3 * n(random) * Math.exp(-t / tickDecay))
    },
    ghost: (out, at, level, { random }) => {
      const n = hiss(0.2)
      write(out, at, 0.12, (t) => level * 0.5 * n(random) * Math.exp(-t / 0.025))
    },
    bass: (out, at, level, { bar, step, random, beat }) =>
      tone(
        out,
        at,
        level,
        root + (step === 0 ? 0 : (scale[Math.floor(random() * 3)] as number)) + (bar % 2) * 5,
        0.5 * beat,
        8,
      ),
    pluck: (out, at, level, { bar, step }) =>
      tone(out, at, level * 0.8, root + 24 + (scale[(step * 3 + (bar % 2)) % 5] as number), 0.15, 5),
    stab: (out, at, level, { bar }) => {
      for (const n of [0, 2, 4]) tone(out, at, level * 0.6, root + 12 + (bar % 2) * 5 + (scale[n] as number), 0.22, 6)
    },
  }
}

/**
 * Loops at many tempos, straight and swung, tight and loose, one bar to eight: every style in turn, or all drawn at random.
 */
export function loopSet(seed = 1, count = 70, drawn = false): LoopItem[] {
  const random = createRandom(seed)
  return Array.from({ length: count }, (_, n) => {
    const style = drawn ? 'drawn' : (loopStyles[n % loopStyles.length] as LoopStyle)
    const bpm = Math.round(60 + 120 * random())
    const bars = [1, 2, 2, 4, 4, 8][Math.floor(6 * random())] as number
    return makeLoop({
      seed: 1000 * seed + n,
      style,
      bpm: random() < 0.2 ? bpm + 0.5 : bpm,
      // a bar of a fast tempo is too short to tell anything from
      bars: Math.max(bars, bpm > 110 ? 2 : 1),
      swing: random() < 0.4 ? 0.33 * random() : 0,
      looseMs: random() < 0.5 ? 5 * random() : 0,
      overhangMs: random() < 0.25 ? 60 + 400 * random() : 0,
    })
  })
}
