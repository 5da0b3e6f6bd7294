import type { AudioBlock } from '../audio/block'
import { semitonesToRatio } from '../dsp/units'
import {
  addRoom,
  bandPass,
  burst,
  createMix,
  gaussian,
  type Mix,
  normalise,
  place,
  RATE,
  reed,
  struck,
  voice,
} from './instruments'
import { speak } from './speech'
import type { DemoTruth } from './truth'

/**
 * The ten sounds of *The Tide Clock*, each made from its own seed by the same code everywhere, with what is true of it.
 * Wherever a time or a pitch is written into the truth, it is the number the sound was made from.
 */
export interface DemoSound {
  readonly truth: DemoTruth
  readonly audio: AudioBlock
}

type Maker = () => DemoSound

const note = (midi: number) => 440 * semitonesToRatio(midi - 69)
/** attack times are kept to a hundredth of a millisecond: finer than a frame */
const tidy = (times: readonly number[]) => [...times].sort((a, b) => a - b).map((t) => Math.round(t * 1e5) / 1e5)

function done(mix: Mix, peak: number, truth: Omit<DemoTruth, 'seconds'>): DemoSound {
  normalise(mix, peak)
  return {
    truth: { ...truth, seconds: mix.left.length / RATE, attacks: tidy(truth.attacks) },
    audio: { sampleRate: RATE, channels: [mix.left, mix.right] },
  }
}

const drum = (mix: Mix, hz: number) =>
  struck(mix.random, {
    seconds: 0.7,
    thump: 2.2,
    modes: [
      { hz, level: 1, decay: 0.16 },
      { hz: hz * 1.59, level: 0.45, decay: 0.09 },
      { hz: hz * 2.14, level: 0.28, decay: 0.06 },
      { hz: hz * 3.3, level: 0.12, decay: 0.03 },
    ],
  })

const knock = (mix: Mix, hz: number) =>
  struck(mix.random, {
    seconds: 0.5,
    thump: 1.4,
    attackMs: 0.3,
    modes: [
      { hz, level: 0.8, decay: 0.07 },
      { hz: hz * 2.76, level: 0.5, decay: 0.035 },
      { hz: hz * 5.4, level: 0.25, decay: 0.016 },
      { hz: hz * 8.9, level: 0.12, decay: 0.009 },
    ],
  })

const pawl = (mix: Mix, hz: number) => burst(mix.random, { seconds: 0.09, hz, q: 3.5, decay: 0.012 })

/** Percussion of a rope winch: drum on the beats, pawls in swung sixteenths, rope creak on the off-beats. */
const ropeWinch: Maker = () => {
  const bpm = 96
  const beat = 60 / bpm
  const bars = 4
  const mix = createMix(bars * 4 * beat, 9601)
  const attacks: number[] = []
  for (let bar = 0; bar < bars; bar++) {
    for (let sixteenth = 0; sixteenth < 16; sixteenth++) {
      const swing = sixteenth % 2 === 1 ? 0.12 * (beat / 4) : 0
      const at = (bar * 4 + sixteenth / 4) * beat + swing
      const strokes: [Float32Array, number, number, number][] = []
      if (sixteenth === 0 || sixteenth === 10 || (bar === 3 && sixteenth === 7))
        strokes.push([drum(mix, 62), 1, -0.1, 0.15])
      if (sixteenth === 4 || sixteenth === 12) strokes.push([knock(mix, 310), 0.8, 0.25, 0.4])
      const pawlHere = sixteenth % 2 === 0 || [3, 11].includes(sixteenth) || (bar % 2 === 1 && sixteenth === 15)
      if (pawlHere) {
        const accent = sixteenth % 4 === 0 ? 0.5 : sixteenth % 2 === 0 ? 0.34 : 0.2
        strokes.push([pawl(mix, 3100 + 900 * mix.random()), accent, 0.45 - 0.15 * (sixteenth % 4), 0.2])
      }
      if (strokes.length > 0) attacks.push(at)
      for (const [sound, gain, pan, send] of strokes) place(mix, sound, at, gain, pan, send)
      if (sixteenth === 6 || sixteenth === 14) {
        const slide = bandPass(780, 9)
        const creak = voice(0.16, (t) => {
          const grit = mix.random() < 0.02 + 0.05 * Math.sin((Math.PI * t) / 0.16) ? 2 * mix.random() - 1 : 0
          return slide(grit) * Math.sin((Math.PI * t) / 0.16)
        })
        place(mix, creak, at, 1.6, -0.5, 0.4)
      }
    }
  }
  addRoom(mix, { seconds: 0.55, level: 0.05 })
  return done(mix, 0.89, {
    id: 'rope-winch',
    name: 'Rope winch',
    file: 'rope-winch_96bpm.wav',
    about: 'Percussion loop, four bars, swung sixteenths',
    bpm,
    namedBpm: 96,
    beatsPerBar: 4,
    bars,
    overhangSeconds: 0,
    attacks,
  })
}

/** Knocks on a hull by a hand that starts at 88 BPM, hurries, and leans back again. */
const hullKnocks: Maker = () => {
  const bpmByBar = [88, 90.5, 93, 91, 87, 84.5]
  const seconds = bpmByBar.reduce((sum, bpm) => sum + 240 / bpm, 0)
  const mix = createMix(seconds, 8802)
  const attacks: number[] = []
  let barStart = 0
  const pattern = [
    [0, 150, 1],
    [1.5, 210, 0.6],
    [2, 150, 0.85],
    [2.75, 265, 0.45],
    [3, 210, 0.7],
    [3.5, 265, 0.5],
  ] as const
  for (const bpm of bpmByBar) {
    for (const [beats, hz, level] of pattern) {
      const loose = beats === 0 && barStart === 0 ? 0 : 0.009 * gaussian(mix.random)
      const at = Math.max(0, barStart + (beats * 60) / bpm + loose)
      attacks.push(at)
      place(mix, knock(mix, hz * (1 + 0.02 * (mix.random() - 0.5))), at, level, (hz - 205) / 160, 0.5)
    }
    barStart += 240 / bpm
  }
  addRoom(mix, { seconds: 1.4, level: 0.09, size: 1.6, damping: 0.5 })
  return done(mix, 0.84, {
    id: 'hull-knocks',
    name: 'Hull knocks',
    file: 'hull-knocks.wav',
    about: 'Knocked by hand: the tempo wanders between 84 and 93 BPM',
    bpm: 89,
    beatsPerBar: 4,
    bars: bpmByBar.length,
    bpmByBar,
    attacks,
  })
}

/** Four chords on two ranks of reeds a few cents apart. */
const harmonium: Maker = () => {
  const chords = [
    [45, 57, 60, 64],
    [41, 53, 60, 65],
    [48, 55, 60, 64],
    [43, 55, 59, 62],
  ]
  const each = 3.2
  const mix = createMix(chords.length * each + 1.2, 4503)
  const partials = [1, 0.62, 0.44, 0.3, 0.21, 0.17, 0.11, 0.08, 0.06, 0.045, 0.03, 0.02]
  const notes: { start: number; end: number; hz: number }[] = []
  chords.forEach((chord, n) => {
    const start = n * each
    const length = each + 0.04
    chord.forEach((midi, voiceNumber) => {
      notes.push({ start, end: start + length, hz: note(midi) })
      for (const rank of [-1, 1]) {
        const hz = note(midi) * 2 ** ((rank * 2.4) / 1200)
        const tone = reed({
          seconds: length,
          hzAt: (t) => hz * (1 + 0.0004 * Math.sin(2 * Math.PI * 0.6 * t + rank + voiceNumber)),
          partials,
          riseSeconds: 0.06,
          fallSeconds: 0.12,
          waver: 0.04,
          phase: mix.random(),
        })
        place(mix, tone, start, 0.3 - 0.03 * voiceNumber, rank * (0.25 + 0.15 * voiceNumber), 0.35)
      }
    })
    const air = bandPass(2400, 0.6)
    place(
      mix,
      voice(length, (t) => air(2 * mix.random() - 1) * Math.min(1, t / 0.2, (length - t) / 0.3)),
      start,
      0.02,
      0,
      0.2,
    )
  })
  addRoom(mix, { seconds: 1.8, level: 0.045, size: 1.3 })
  return done(mix, 0.8, {
    id: 'harmonium',
    name: 'Harmonium',
    file: 'harmonium-chords.wav',
    about: 'Chord bed in A minor, four chords',
    attacks: chords.map((_, n) => n * each),
    notes,
  })
}

/** A foghorn asks, a whistle answers: one line, never two notes at once. */
const foghornTune: Maker = () => {
  const beat = 60 / 72
  const score = [
    [0, 1.5, 45, 'horn'],
    [2, 0.9, 69, 'whistle'],
    [3, 0.45, 72, 'whistle'],
    [3.5, 0.45, 71, 'whistle'],
    [4, 1.5, 43, 'horn'],
    [6, 0.9, 67, 'whistle'],
    [7, 0.9, 71, 'whistle'],
    [8, 1.8, 40, 'horn'],
    [10, 0.45, 64, 'whistle'],
    [10.5, 0.45, 67, 'whistle'],
    [11, 1.6, 69, 'whistle'],
  ] as const
  const mix = createMix(13.6 * beat, 7204)
  const notes = score.map(([start, beats, midi]) => ({
    start: start * beat,
    end: (start + beats) * beat,
    hz: note(midi),
  }))
  score.forEach(([start, beats, midi, kind]) => {
    const hz = note(midi)
    const horn = kind === 'horn'
    const tone = reed({
      seconds: beats * beat,
      hzAt: (t) =>
        hz *
        (horn ? 1 - 0.035 * Math.exp(-t / 0.05) : 1 + 0.005 * Math.min(1, t / 0.25) * Math.sin(2 * Math.PI * 5.2 * t)),
      partials: horn
        ? [1, 0.8, 0.7, 0.62, 0.5, 0.4, 0.33, 0.26, 0.2, 0.16, 0.12, 0.1, 0.08, 0.06]
        : [1, 0.08, 0.05, 0.015],
      riseSeconds: horn ? 0.07 : 0.03,
      fallSeconds: horn ? 0.12 : 0.05,
    })
    place(mix, tone, start * beat, horn ? 0.5 : 0.42, horn ? -0.2 : 0.35, 0.4)
    if (!horn) {
      const air = bandPass(hz * 2, 3)
      const length = beats * beat
      place(
        mix,
        voice(length, (t) => air(2 * mix.random() - 1) * Math.min(1, t / 0.02, (length - t) / 0.05)),
        start * beat,
        0.06,
        0.35,
        0.4,
      )
    }
  })
  addRoom(mix, { seconds: 1.6, level: 0.05, size: 1.5 })
  return done(mix, 0.8, {
    id: 'foghorn-tune',
    name: 'Foghorn and whistle',
    file: 'foghorn-and-whistle.wav',
    about: 'A tune in one line',
    bpm: 72,
    attacks: notes.map((n) => n.start),
    notes,
  })
}

/** The guide: "the tide was low … and now it comes back in, listen …", just short of five seconds. */
const guideLine: Maker = () => {
  const lead = 0.12
  const random = createMix(0, 5505).random
  const spoken = speak('D@ taId w@z lou _ and nau It kamz bak In _ lIs@n fo D@ bel _ and kaunt D@ aw@z', 118, random)
  const mix = createMix(lead + spoken.seconds + 0.2, 5506)
  place(mix, spoken.samples, lead, 0.5, 0, 0.25)
  addRoom(mix, { seconds: 0.4, level: 0.03, size: 0.7 })
  return done(mix, 0.79, {
    id: 'guide-line',
    name: "Guide's line",
    file: 'guide-line-take-3.wav',
    about: 'Spoken; must fill exactly six seconds of picture',
    attacks: spoken.attacks.map((t) => t + lead),
    glide: spoken.glide
      .filter((_, i) => i % 12 === 0)
      .map(([t, hz]) => [Math.round((t + lead) * 1e4) / 1e4, Math.round(hz * 100) / 100]),
  })
}

/** One stroke of the harbour bell. */
const harbourBell: Maker = () => {
  const mix = createMix(7, 3306)
  const hum = 196
  // hum, prime, tierce, quint, nominal and above, as founders name and tune them
  const partials = [
    [0.5, 0.5, 4.2],
    [1, 0.9, 2.6],
    [1.2, 0.8, 2.1],
    [1.5, 0.4, 1.5],
    [2, 1, 1.3],
    [2.51, 0.35, 0.8],
    [3.02, 0.4, 0.6],
    [4.17, 0.35, 0.4],
    [5.43, 0.22, 0.26],
    [6.8, 0.16, 0.17],
    [8.2, 0.1, 0.11],
  ] as const
  for (const side of [-1, 1]) {
    // each partial is a pair a fraction of a Hz apart, heard from two sides: the slow beat of a real bell
    const modes = partials.map(([ratio, level, decay]) => ({
      hz: hum * 2 * ratio + side * 0.23 * Math.sqrt(ratio),
      level,
      decay,
    }))
    place(mix, struck(mix.random, { seconds: 6.85, modes, attackMs: 0.8, thump: 1.2 }), 0.15, 0.3, side * 0.4, 0.3)
  }
  addRoom(mix, { seconds: 2.2, level: 0.03, size: 1.8 })
  return done(mix, 0.85, {
    id: 'harbour-bell',
    name: 'Harbour bell',
    file: 'harbour-bell.wav',
    about: 'One stroke, seven seconds',
    attacks: [0.15],
    notes: [{ start: 0.15, end: 7, hz: hum * 2 }],
  })
}

/** Steady rain on a tin roof: a hiss that breathes, and drops that ring the tin. */
const rainOnTin: Maker = () => {
  const seconds = 8
  const mix = createMix(seconds, 1107)
  for (const pan of [-0.8, 0.8]) {
    const high = bandPass(5200, 0.45)
    const low = bandPass(900, 0.4)
    const hiss = voice(seconds, (t) => {
      const x = 2 * mix.random() - 1
      return (high(x) + 0.35 * low(x)) * (1 + 0.12 * Math.sin(2 * Math.PI * 0.21 * t + pan))
    })
    place(mix, hiss, 0, 0.3, pan, 0.1)
  }
  for (let n = 0; n < seconds * 90; n++) {
    const size = mix.random() ** 3
    const drop = struck(mix.random, {
      seconds: 0.08,
      attackMs: 0.2,
      modes: [
        { hz: 1400 + 3200 * mix.random(), level: 0.5, decay: 0.006 + 0.012 * size },
        { hz: 4200 + 5000 * mix.random(), level: 0.35, decay: 0.004 },
      ],
    })
    place(mix, drop, mix.random() * seconds, 0.05 + 0.3 * size, 1.6 * mix.random() - 0.8, 0.3)
  }
  addRoom(mix, { seconds: 0.5, level: 0.04 })
  return done(mix, 0.7, {
    id: 'rain-on-tin',
    name: 'Rain on tin',
    file: 'rain-on-tin.wav',
    about: 'Noise bed without a tempo',
    attacks: [],
  })
}

/** A gull: three cries that swoop up and fall, with a flutter on the last. */
const gull: Maker = () => {
  const mix = createMix(3.8, 2208)
  const cries = [
    [0.1, 0.75, 1250, 0],
    [1.05, 0.6, 1380, 0],
    [1.85, 1.5, 1300, 0.035],
  ] as const
  const glide: [number, number][] = []
  for (const [start, length, top, flutter] of cries) {
    const hzAt = (t: number) => {
      const x = t / length
      const bend = x < 0.25 ? 0.62 + 0.38 * Math.sin((Math.PI / 2) * (x / 0.25)) : 1 - 0.42 * ((x - 0.25) / 0.75) ** 1.4
      return top * bend * (1 + flutter * Math.sin(2 * Math.PI * 11 * t))
    }
    const cry = reed({
      seconds: length,
      hzAt,
      partials: [1, 0.7, 0.5, 0.24, 0.16, 0.1, 0.06],
      riseSeconds: 0.05,
      fallSeconds: 0.2,
      waver: 0.08,
    })
    place(mix, cry, start, 0.5, start / 2 - 0.6, 0.5)
    for (let t = 0.05; t < length - 0.15; t += 0.025) {
      glide.push([Math.round((start + t) * 1e4) / 1e4, Math.round(hzAt(t) * 100) / 100])
    }
  }
  addRoom(mix, { seconds: 1.1, level: 0.04, size: 1.7, damping: 0.6 })
  return done(mix, 0.75, {
    id: 'gull',
    name: 'Gull',
    file: 'gull-glide.wav',
    about: 'Three cries that glide',
    attacks: cries.map(([start]) => start),
    glide,
  })
}

/** A capstan loop whose file name says 120 BPM. It is 108. */
const capstan: Maker = () => {
  const bpm = 108
  const beat = 60 / bpm
  const mix = createMix(8 * beat, 1089)
  const attacks: number[] = []
  const bass = [33, 33, 36, 33, 40, 38, 36, 31]
  const notes: { start: number; end: number; hz: number }[] = []
  for (let eighth = 0; eighth < 16; eighth++) {
    const at = (eighth * beat) / 2
    attacks.push(at)
    if (eighth % 4 === 0) place(mix, drum(mix, 74), at, 0.9, 0, 0.15)
    if (eighth % 4 === 2) place(mix, knock(mix, 420), at, 0.7, -0.3, 0.3)
    place(mix, pawl(mix, eighth % 2 === 0 ? 5200 : 6100), at, eighth % 2 === 0 ? 0.3 : 0.18, 0.4, 0.15)
    if (eighth % 2 === 0) {
      const midi = bass[eighth / 2] as number
      notes.push({ start: at, end: at + beat * 0.85, hz: note(midi) })
      const pluck = voice(beat * 0.85, (t) => {
        let sum = 0
        for (let n = 1; n <= 10; n++)
          sum += (Math.sin(2 * Math.PI * note(midi) * n * t) * Math.exp(-t * (2 + n * 1.6))) / n
        return sum * Math.min(1, t / 0.003) * Math.min(1, (beat * 0.85 - t) / 0.02)
      })
      place(mix, pluck, at, 0.45, 0.05, 0.1)
    }
  }
  addRoom(mix, { seconds: 0.5, level: 0.04 })
  return done(mix, 0.88, {
    id: 'capstan',
    name: 'Capstan',
    file: 'capstan-walk_120bpm.wav',
    about: 'Named 120 BPM, played at 108: two bars with a bass line',
    bpm,
    namedBpm: 120,
    beatsPerBar: 4,
    bars: 2,
    overhangSeconds: 0,
    attacks,
    notes,
  })
}

/** Two bars of chain at 100 BPM, cut too late: the last rattle hangs over the bar line. */
const chainRattle: Maker = () => {
  const bpm = 100
  const beat = 60 / bpm
  const overhangSeconds = 0.37
  const mix = createMix(8 * beat + overhangSeconds, 1010)
  const attacks: number[] = []
  const link = (at: number, level: number, pan: number) => {
    attacks.push(at)
    const base = 1900 + 500 * mix.random()
    const ring = struck(mix.random, {
      seconds: 0.35,
      attackMs: 0.3,
      thump: 0.8,
      modes: [
        { hz: base, level: 0.6, decay: 0.05 },
        { hz: base * 1.71, level: 0.5, decay: 0.04 },
        { hz: base * 2.63, level: 0.4, decay: 0.03 },
        { hz: base * 3.9, level: 0.22, decay: 0.02 },
      ],
    })
    place(mix, ring, at, level, pan, 0.35)
  }
  for (let beatNumber = 0; beatNumber < 8; beatNumber++) {
    const at = beatNumber * beat
    if (beatNumber % 4 === 0) place(mix, drum(mix, 55), at, 0.9, 0, 0.2)
    link(at, 0.6, -0.4)
    link(at + beat * 0.5, 0.35, 0.3)
    if (beatNumber % 2 === 1) link(at + beat * 0.75, 0.3, 0.5)
  }
  link(7.83 * beat, 0.5, 0.1)
  addRoom(mix, { seconds: 1.3, level: 0.08, size: 1.4 })
  return done(mix, 0.86, {
    id: 'chain-rattle',
    name: 'Chain rattle',
    file: 'chain-rattle_100.wav',
    about: 'Two bars with a tail hanging over the last one',
    bpm,
    namedBpm: 100,
    beatsPerBar: 4,
    bars: 2,
    overhangSeconds,
    attacks,
  })
}

export const demoMakers: Readonly<Record<string, Maker>> = {
  'rope-winch': ropeWinch,
  'hull-knocks': hullKnocks,
  harmonium,
  'foghorn-tune': foghornTune,
  'guide-line': guideLine,
  'harbour-bell': harbourBell,
  'rain-on-tin': rainOnTin,
  gull,
  capstan,
  'chain-rattle': chainRattle,
}
