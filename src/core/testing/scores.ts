import { createRandom, type Random } from '../dsp/random'
import { semitonesToRatio } from '../dsp/units'
import {
  add,
  done,
  grit,
  IDEAL_RATE,
  type Ideal,
  type IdealItem,
  noteHz,
  organ,
  type Playing,
  partialsOf,
  playStrokes,
  rise,
  type Stroke,
  sung,
  sungVowel,
  TAU,
  type Tape,
  TOP_HZ,
  tape,
} from './instruments'

/**
 * Ideal answers drawn at random: the same kinds of sound as in `ideals`, each with a score, pitches and colours of its
 * own. So what is fitted on some can be told on others. An item is the same whenever it is drawn with the same number.
 */

const pick = <T>(random: Random, list: readonly T[]): T => list[Math.floor(random() * list.length)] as T
const between = (random: Random, low: number, high: number) => low + (high - low) * random()
const many = <T>(count: number, make: (n: number) => T) => Array.from({ length: count }, (_, n) => make(n))

const SECONDS = 3.2

/** strokes on a grid of eighths or sixteenths, some a little late, as hands play */
function strokesOf(random: Random, beats: number): Stroke[] {
  const step = pick(random, [0.5, 0.25, 1 / 3])
  const swing = between(random, 0, 0.06)
  const strokes: Stroke[] = []
  for (let n = 0; n * step < beats; n++) {
    const at = n * step + (n % 2 === 1 ? swing : 0)
    if (n % Math.round(2 / step) === 0) strokes.push([at, 'kick', between(random, 0.7, 1)])
    else if (n % Math.round(1 / step) === 0) strokes.push([at, 'snare', between(random, 0.6, 1)])
    else if (random() < 0.6)
      strokes.push([at, pick(random, ['hat', 'hat', 'ghost', 'kick'] as const), between(random, 0.25, 0.6)])
  }
  return strokes
}

function playBeat(to: Tape, strokes: readonly Stroke[], beat: number, playing: Playing, gain?: number) {
  return playStrokes(to, strokes, 0.25 * beat, beat, playing, gain)
}

/** A bed of noise in two bands with a slow swell; its own left and right. */
function bed(to: Tape, playing: Playing, highHz: number, lowHz: number, share: number, gain: number, swellHz: number) {
  const r = semitonesToRatio(playing.semitones)
  for (const [c, channel] of [to.left, to.right].entries()) {
    const random = createRandom(playing.seed * 65_537 + c)
    const high = grit(random, highHz, 0.6, r)
    const low = grit(random, lowHz, 0.5, r)
    for (let i = 0; i < channel.length; i++) {
      const swell = 1 + 0.2 * Math.sin((TAU * swellHz * i) / (IDEAL_RATE * playing.stretch))
      channel[i] = (channel[i] as number) + gain * swell * (share * high() + (1 - share) * low())
    }
  }
}

const chordNotes = (random: Random) => {
  const root = 40 + Math.floor(12 * random())
  return pick(random, [
    [0, 12, 19, 24, 28],
    [0, 7, 16, 22],
    [0, 12, 15, 19, 26],
    [0, 4, 11],
  ]).map((step) => root + step)
}

/** What a score is played on: an empty tape, how much longer and higher it is played, and by which seed. */
interface Stage {
  readonly to: Tape
  readonly s: number
  readonly r: number
  readonly seed: number
  readonly playing: Playing
}

type Maker = (random: Random) => Omit<IdealItem, 'id'>

/** An item of a kind: `play` lays its sounds on the tape and says where they begin. */
const score = (kind: IdealItem['kind'], play: (stage: Stage) => Omit<Ideal, 'audio'>): Omit<IdealItem, 'id'> => ({
  kind,
  play: (playing) => {
    const to = tape(SECONDS * playing.stretch)
    const r = semitonesToRatio(playing.semitones)
    const told = play({ to, s: playing.stretch, r, seed: playing.seed, playing })
    return { ...told, audio: done(to) }
  },
})

const beatOf: Maker = (random) => {
  const beat0 = between(random, 0.42, 0.75)
  const strokes = strokesOf(random, SECONDS / beat0 - 0.5)
  return score('hits', ({ to, s, playing }) => {
    const beat = beat0 * s
    return { attacks: playBeat(to, strokes, beat, playing) }
  })
}

/** wood, metal, skin: struck things with a few partials and a snap */
const knocksOf: Maker = (random) => {
  const count = 8 + Math.floor(8 * random())
  const hz = many(3, (n) => between(random, 300, 1600) * (n + 1))
  const decay = between(random, 0.015, 0.06)
  const starts = many(count, (n) => ((n + 0.3 + 0.4 * random()) * SECONDS) / count)
  const levels = starts.map(() => between(random, 0.3, 0.8))
  const snap = between(random, 2500, 8000)
  return score('hits', ({ to, s, r, seed }) => {
    const attacks = starts.map((at, n) => {
      const noise = grit(createRandom(seed * 104_729 + n), snap, 1, r)
      add(to, at * s, 8 * decay, Math.sin(5 * n), (t) => {
        let sum = 0
        hz.forEach((f, k) => {
          sum += Math.exp(-t / (decay / (k + 1))) * Math.sin(TAU * f * r * t + k)
        })
        return (levels[n] as number) * (0.3 * sum + 0.8 * Math.exp(-t / 0.003) * noise())
      })
      return at * s
    })
    return { attacks }
  })
}

const padOf: Maker = (random) => {
  const chords = random() < 0.5 ? [chordNotes(random)] : [chordNotes(random), chordNotes(random)]
  const fade = between(random, 0.05, 0.25)
  const length = (SECONDS - 0.2) / chords.length
  return score('tones', ({ to, s, r, seed }) => {
    chords.forEach((notes, c) => {
      notes.forEach((midi, n) => {
        organ(to, seed + 7 * c, (0.1 + c * length) * s, length * s, 0.3 * (n - 2), 0.12, noteHz(midi), r, fade * s)
      })
    })
    return { attacks: chords.map((_, c) => (0.1 + c * length) * s) }
  })
}

const arpeggioOf: Maker = (random) => {
  const notes = chordNotes(random).map((midi) => midi + 12)
  const gap = between(random, 0.22, 0.55)
  const order = many(Math.floor((SECONDS - 0.2) / gap), () => pick(random, notes))
  const falls = between(random, 1, 1.6)
  const soft = between(random, 0.005, 0.02)
  return score('tones', ({ to, s, r, seed }) => {
    const attacks = order.map((midi, n) => {
      const phases = createRandom(seed * 211 + n)
      const sumAt = partialsOf(
        noteHz(midi) * r,
        falls,
        many(8, () => phases()),
      )
      const at = (0.1 + n * gap) * s
      const length = 1.1 * gap * s
      add(to, at, length, 0.5 * Math.sin(n), (t) => 0.25 * sumAt(t) * rise(t, soft) * rise(length - t, 0.05 * s))
      return at
    })
    return { attacks }
  })
}

/** A bell alone: its partials are what is drawn out, its stroke is not. */
const bellOf: Maker = (random) => {
  const hum = between(random, 110, 420)
  const partials = [0.5, 1, 1.19, 1.5, 2, 2.51, 2.66, 3.01, 4.1].map((ratio, n) => ({
    hz: hum * 2 * ratio * (1 + 0.004 * (random() - 0.5)),
    decay: between(random, 1.2, 2.2) / (1 + 0.35 * n),
    level: between(random, 0.4, 1) / (1 + 0.3 * n),
  }))
  return score('tones', ({ to, s, r, seed }) => {
    const phases = createRandom(seed * 977)
    for (const { hz, decay, level } of partials) {
      const phase = phases()
      add(
        to,
        0.12 * s,
        SECONDS * s,
        0.2 * Math.sin(hz),
        (t) =>
          0.14 *
          level *
          rise(t, 0.002) *
          Math.exp(-t / (decay * s)) *
          rise((SECONDS - 0.12) * s - t, 0.5 * s) *
          Math.sin(TAU * (hz * r * t + phase)),
      )
    }
    const clang = grit(createRandom(seed * 31), 5000, 1, r)
    add(to, 0.12 * s, 0.05, 0, (t) => 0.3 * Math.exp(-t / 0.006) * clang())
    return { attacks: [0.12 * s] }
  })
}

/** whistle, gull, siren: one tone that bends and shakes */
const cryOf: Maker = (random) => {
  const middle = between(random, 57, 80)
  const reach = between(random, 2, 9)
  const turns = between(random, 0.3, 1.2)
  const shake = between(random, 0, 0.5)
  const shakeHz = between(random, 4.5, 6.5)
  const knee0 = between(random, 700, 2400)
  return score('line', ({ to, s, r, playing }) => {
    const { keepFormants } = playing
    const end = SECONDS - 0.2
    const f0At = (t: number) => {
      const x = t / s
      if (x < 0.2 || x > end) return 0
      return noteHz(middle + reach * Math.sin(TAU * turns * (x - 0.2)) + shake * Math.sin(TAU * shakeHz * x)) * r
    }
    const knee = knee0 * (keepFormants ? 1 : r)
    const tilt = (hz: number) => 1 / (1 + (hz / knee) * Math.sqrt(hz / knee))
    const gainAt = (t: number) => 0.35 * rise(t - 0.2 * s, 0.04 * s) * rise(end * s - t, 0.06 * s)
    sung(to, 0.2 * s, end * s, f0At, tilt, gainAt, TOP_HZ * (keepFormants ? 1 : r))
    return { attacks: [0.2 * s], f0At }
  })
}

const VOWELS = [
  [690, 1150, 2540],
  [320, 2180, 2900],
  [480, 1850, 2560],
  [370, 850, 2420],
  [550, 1000, 2450],
] as const

const voiceOf: Maker = (random) => {
  const low = between(random, 95, 210)
  const vowels = many(5, (n) => ({
    at: 0.1 + 0.62 * n,
    seconds: between(random, 0.35, 0.48),
    formants: pick(random, VOWELS),
  }))
  const hiss = vowels.map(() => random() < 0.5)
  return score('line', ({ to, s, r, seed, playing }) => {
    const { keepFormants } = playing
    const shift = keepFormants ? 1 : r
    const attacks: number[] = []
    const pitch = (x: number) => low * (1 + 0.12 * Math.sin(1.9 * x) - 0.03 * x) * r
    vowels.forEach(({ at, seconds, formants }, n) => {
      const from = at * s
      const end = (at + seconds) * s
      const gainAt = (t: number) => 0.16 * rise(t - from, 0.018) * rise(end - t, 0.04 * s)
      sungVowel(to, from, end, (t) => pitch(t / s), formants, shift, gainAt)
      attacks.push(from)
      const noise = grit(createRandom(seed * 31 + n), hiss[n] ? 5600 : 3000, hiss[n] ? 2 : 0.8, shift)
      const start = (at + seconds + 0.02) * s
      attacks.push(start)
      const length = 0.09 * s
      if (hiss[n]) add(to, start, length, 0, (t) => 0.3 * noise() * rise(t, 0.02 * s) * rise(length - t, 0.02 * s))
      else add(to, start, 0.03, 0, (t) => 0.5 * Math.exp(-t / 0.006) * noise())
    })
    return { attacks: attacks.sort((a, b) => a - b) }
  })
}

const bassOf: Maker = (random) => {
  const gap = between(random, 0.25, 0.5)
  const notes = many(Math.floor((SECONDS - 0.2) / gap), () => 29 + Math.floor(17 * random()))
  const bright = between(random, 0.3, 0.8)
  return score('line', ({ to, s, r }) => {
    const attacks = notes.map((midi, n) => {
      const at = (0.1 + n * gap) * s
      const hz = noteHz(midi) * r
      const length = 0.9 * gap * s
      add(to, at, length, 0, (t) => {
        let sum = 0
        for (let k = 1; k <= 12; k++) sum += (Math.sin(TAU * k * hz * t) * Math.exp((-t / s) * (0.8 + bright * k))) / k
        return 0.4 * sum * rise(t, 0.004) * rise(length - t, 0.03 * s)
      })
      return at
    })
    return { attacks }
  })
}

const noiseOf: Maker = (random) => {
  const high = between(random, 1500, 9000)
  const low = between(random, 200, 900)
  const share = between(random, 0.3, 0.9)
  const swell = between(random, 0.3, 1.5)
  return score('noise', ({ to, playing }) => {
    bed(to, playing, high, low, share, 1, swell)
    return { attacks: [] }
  })
}

const sceneOf: Maker = (random) => {
  const notes = chordNotes(random).slice(1, 3)
  const count = 4 + Math.floor(3 * random())
  const high = between(random, 2500, 7000)
  const soft = random() < 0.5 ? 0.001 : 0.012
  return score('scene', ({ to, s, r, seed, playing }) => {
    bed(to, playing, high, 600, 0.6, 0.1, 0.6)
    notes.forEach((midi, n) => {
      organ(to, seed, 0.1 * s, (SECONDS - 0.2) * s, -0.8 + 0.5 * n, 0.2, noteHz(midi + 12), r, 0.1 * s)
    })
    const attacks = many(count, (n) => {
      const at = ((n + 0.6) * (SECONDS - 0.2)) / count
      const noise = grit(createRandom(seed * 13 + n), 2500, 1, r)
      add(to, at * s, 0.25, 0.8, (t) => Math.exp(-t / 0.03) * rise(t, soft) * noise())
      return at * s
    })
    return { attacks }
  })
}

const mixOf: Maker = (random) => {
  const beat0 = between(random, 0.45, 0.7)
  const strokes = strokesOf(random, SECONDS / beat0 - 0.5)
  const notes = chordNotes(random)
  const loud = between(random, 0.05, 0.1)
  return score('mix', ({ to, s, r, seed, playing }) => {
    notes.forEach((midi, n) => {
      organ(to, seed, 0.05 * s, (SECONDS - 0.1) * s, 0.3 * (n - 2), loud, noteHz(midi), r, 0.02 * s)
    })
    return { attacks: [0.05 * s, ...playBeat(to, strokes, beat0 * s, playing)] }
  })
}

/** a bird: quick calls that sweep up or down, each over before a long window has seen it */
const chirpOf: Maker = (random) => {
  const count = 5 + Math.floor(6 * random())
  const calls = many(count, (n) => ({
    at: 0.1 + (n * (SECONDS - 0.4)) / count,
    seconds: between(random, 0.09, 0.26),
    hz: between(random, 900, 3200),
    sweep: between(random, 0.3, 1) * (random() < 0.5 ? 1 : -1),
  }))
  return score('line', ({ to, s, r }) => {
    const f0At = (t: number) => {
      const call = calls.find(({ at, seconds }) => t >= at * s && t < (at + seconds) * s)
      return call ? call.hz * r * 2 ** (call.sweep * ((t / s - call.at) / call.seconds - 0.5)) : 0
    }
    for (const { at, seconds } of calls) {
      const [from, end] = [at * s, (at + seconds) * s]
      const gainAt = (t: number) => 0.3 * rise(t - from, 0.01 * s) * rise(end - t, 0.02 * s)
      sung(to, from, end, f0At, (hz) => 1 / (1 + (hz / (4000 * r)) ** 2), gainAt, TOP_HZ * r)
    }
    return { attacks: calls.map(({ at }) => at * s), f0At }
  })
}

/** speech of many consonants: two or three between vowels that are short themselves */
const clusterOf: Maker = (random) => {
  const low = between(random, 95, 210)
  const syllables = many(7, (n) => ({
    at: 0.08 + 0.44 * n,
    formants: pick(random, VOWELS),
    order: pick(random, ['burst hiss', 'hiss burst', 'burst hiss burst', 'burst burst'] as const).split(' '),
  }))
  return score('line', ({ to, s, r, seed, playing }) => {
    const shift = playing.keepFormants ? 1 : r
    const attacks: number[] = []
    const pitch = (t: number) => low * (1 + 0.1 * Math.sin((2.3 * t) / s) - (0.02 * t) / s) * r
    syllables.forEach(({ at, formants, order }, n) => {
      const slot = 0.22 / order.length
      order.forEach((kind, k) => {
        const hisses = kind === 'hiss'
        const noise = grit(createRandom(seed * 31 + 5 * n + k), hisses ? 5600 : 2400 + 700 * k, hisses ? 2 : 0.8, shift)
        const start = (at + k * slot) * s
        const length = 0.85 * slot * s
        attacks.push(start)
        if (hisses) add(to, start, length, 0, (t) => 0.3 * noise() * rise(t, 0.012 * s) * rise(length - t, 0.012 * s))
        else add(to, start, 0.03, 0, (t) => 0.5 * Math.exp(-t / 0.006) * noise())
      })
      const [from, end] = [(at + 0.22) * s, (at + 0.42) * s]
      const gainAt = (t: number) => 0.16 * rise(t - from, 0.012) * rise(end - t, 0.03 * s)
      sungVowel(to, from, end, pitch, formants, shift, gainAt)
      attacks.push(from)
    })
    return { attacks }
  })
}

const makers = {
  beat: beatOf,
  knocks: knocksOf,
  pad: padOf,
  arpeggio: arpeggioOf,
  bell: bellOf,
  cry: cryOf,
  voice: voiceOf,
  bass: bassOf,
  noise: noiseOf,
  scene: sceneOf,
  mix: mixOf,
  chirp: chirpOf,
  cluster: clusterOf,
} satisfies Readonly<Record<string, Maker>>

export type ScoreKind = keyof typeof makers
export const scoreKinds = Object.keys(makers) as readonly ScoreKind[]

/** The item of a kind that is drawn with a number. */
export function drawnItem(kind: ScoreKind, number: number): IdealItem {
  return { id: `${kind} ${number}`, ...makers[kind](createRandom(7919 * number + 13 * scoreKinds.indexOf(kind))) }
}
