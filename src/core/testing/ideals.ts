import { createRandom } from '../dsp/random'
import { semitonesToRatio } from '../dsp/units'
import {
  AS_WRITTEN,
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
  TOP_HZ,
  tape,
} from './instruments'

export { AS_WRITTEN, IDEAL_RATE, type Ideal, type IdealItem, type Playing }

const loop: readonly Stroke[] = [
  [0, 'kick', 1],
  [0.5, 'hat', 0.5],
  [1, 'snare', 0.9],
  [1.58, 'ghost', 0.22],
  [1.75, 'hat', 0.4],
  [2.08, 'kick', 0.8],
  [2.5, 'hat', 0.5],
  [3, 'snare', 1],
  [3.33, 'ghost', 0.18],
  [3.58, 'hat', 0.45],
  [4, 'kick', 1],
  [4.5, 'hat', 0.5],
  [4.83, 'ghost', 0.2],
  [5, 'snare', 0.85],
  [5.5, 'hat', 0.4],
  [5.75, 'kick', 0.7],
  [6.08, 'kick', 0.8],
  [6.5, 'hat', 0.5],
  [7, 'snare', 1],
  [7.33, 'ghost', 0.25],
  [7.66, 'hat', 0.5],
]

const drums: IdealItem = {
  id: 'drums',
  kind: 'hits',
  play(playing) {
    const beat = 0.6 * playing.stretch
    const to = tape(8.25 * beat)
    return { attacks: playStrokes(to, loop, 0.25 * beat, beat, playing), audio: done(to) }
  },
}

const clacks = [0.2, 0.55, 0.9, 1.07, 1.24, 1.41, 1.75, 2.1, 2.18, 2.26, 2.45, 2.8, 3.15, 3.32, 3.5]

const castanets: IdealItem = {
  id: 'castanets',
  kind: 'hits',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const to = tape(4 * playing.stretch)
    const attacks = clacks.map((at, n) => {
      const random = createRandom(playing.seed * 104_729 + n)
      const t0 = at * playing.stretch
      const wood = [1150, 2330, 3720].map((hz) => hz * r * (1 + 0.03 * Math.sin(n * 7.7 + hz)))
      const level = 0.5 + 0.25 * Math.sin(n * 2.3)
      const snap = grit(random, 5200, 1, r)
      add(to, t0, 0.12, Math.sin(n), (t) => {
        let sum = 0
        wood.forEach((hz, k) => {
          sum += Math.exp(-t / (0.02 / (k + 1))) * Math.sin(TAU * hz * t + k)
        })
        return level * (0.35 * sum + 0.9 * Math.exp(-t / 0.003) * snap())
      })
      return t0
    })
    return { audio: done(to), attacks }
  },
}

const chord: IdealItem = {
  id: 'chord',
  kind: 'tones',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(4 * s)
    const partials: { hz: number; from: number; to: number }[] = []
    for (const [n, midi] of [45, 57, 64, 69, 73].entries()) {
      const hz = noteHz(midi) * r
      organ(to, playing.seed, 0.2 * s, 3.6 * s, 0.4 * (n - 2), 0.12, noteHz(midi), r, 0.15 * s)
      // the ones that no other note comes near
      if (n === 0) for (const k of [1, 4, 7]) partials.push({ hz: k * hz, from: 0.9 * s, to: 3.1 * s })
    }
    return { audio: done(to), attacks: [0.2 * s], partials }
  },
}

const arpeggio: IdealItem = {
  id: 'arpeggio',
  kind: 'tones',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(4.4 * s)
    const partials: { hz: number; from: number; to: number }[] = []
    const attacks = [57, 64, 69, 73, 76, 73, 69, 64].map((midi, n) => {
      const at = (0.1 + 0.5 * n) * s
      const hz = noteHz(midi) * r
      const random = createRandom(playing.seed * 211 + n)
      const sumAt = partialsOf(
        hz,
        1.2,
        Array.from({ length: 8 }, () => random()),
      )
      add(to, at, 0.55 * s, 0.5 * Math.sin(n), (t) => 0.25 * sumAt(t) * rise(t, 0.008) * rise(0.55 * s - t, 0.05 * s))
      partials.push({ hz, from: at + 0.15 * s, to: at + 0.45 * s })
      return at
    })
    return { audio: done(to), attacks, partials }
  },
}

const glide: IdealItem = {
  id: 'glide',
  kind: 'line',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(3.4 * s)
    const f0At = (t: number) => {
      const x = t / s
      if (x < 0.2 || x > 3.2) return 0
      const steps = 50 + 7 * Math.sin((Math.PI * (x - 0.2)) / 3) + 0.35 * Math.sin(TAU * 5.3 * x)
      return noteHz(steps) * r
    }
    const knee = 900 * (playing.keepFormants ? 1 : r)
    // one and a half: a power by a square root is many times as fast
    const tilt = (hz: number) => 1 / (1 + (hz / knee) * Math.sqrt(hz / knee))
    const gainAt = (t: number) => 0.35 * rise(t - 0.2 * s, 0.04 * s) * rise(3.2 * s - t, 0.06 * s)
    sung(to, 0.2 * s, 3.2 * s, f0At, tilt, gainAt, TOP_HZ * (playing.keepFormants ? 1 : r))
    return { audio: done(to), attacks: [0.2 * s], f0At }
  },
}

const vowels: readonly (readonly [at: number, seconds: number, formants: readonly number[]])[] = [
  [0.15, 0.5, [690, 1150, 2540]],
  [0.8, 0.45, [320, 2180, 2900]],
  [1.45, 0.55, [480, 1850, 2560]],
  [2.2, 0.5, [370, 850, 2420]],
]

const voice: IdealItem = {
  id: 'voice',
  kind: 'line',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const shift = playing.keepFormants ? 1 : r
    const s = playing.stretch
    const to = tape(2.9 * s)
    const pitch = (x: number) => 118 * (1 + 0.12 * Math.sin(1.9 * x) - 0.03 * x) * r
    const attacks: number[] = []
    vowels.forEach(([at, seconds, formants], n) => {
      const from = at * s
      const end = (at + seconds) * s
      sungVowel(
        to,
        from,
        end,
        (t) => pitch(t / s),
        formants,
        shift,
        (t) => 0.16 * rise(t - from, 0.018) * rise(end - t, 0.04 * s),
      )
      attacks.push(from)
      const next = vowels[n + 1]
      if (!next) return
      // between vowels a burst or a hiss; a hiss lasts as the score says, a burst as it does
      const random = createRandom(playing.seed * 31 + n)
      const noise = grit(random, n === 1 ? 3000 : 5600, n === 1 ? 0.8 : 2, shift)
      if (n === 1) add(to, (at + seconds + 0.12) * s, 0.03, 0, (t) => 0.5 * Math.exp(-t / 0.006) * noise())
      else {
        const start = (at + seconds + 0.01) * s
        attacks.push(start)
        const length = (next[0] - at - seconds - 0.03) * s
        add(to, start, length, 0, (t) => 0.3 * noise() * rise(t, 0.02 * s) * rise(length - t, 0.02 * s))
      }
      if (n === 1) attacks.push((at + seconds + 0.12) * s)
    })
    const f0At = (t: number) => (vowels.some(([at, d]) => t >= at * s && t <= (at + d) * s) ? pitch(t / s) : 0)
    const formants = vowels.map(([at, seconds, hz]) => ({
      at: (at + seconds / 2) * s,
      hz: hz.map((centre) => centre * shift),
    }))
    return { audio: done(to), attacks: attacks.sort((a, b) => a - b), f0At, formants }
  },
}

const bass: IdealItem = {
  id: 'bass',
  kind: 'line',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(3.8 * s)
    const notes = [33, 33, 40, 36, 31, 38, 43, 33].map((midi, n) => ({
      at: (0.1 + 0.45 * n) * s,
      hz: noteHz(midi) * r,
    }))
    for (const { at, hz } of notes) {
      add(to, at, 0.4 * s, 0, (t) => {
        let sum = 0
        for (let n = 1; n <= 12; n++) sum += Math.sin(TAU * n * hz * t) * Math.exp((-t / s) * (0.8 + 0.5 * n)) * (1 / n)
        return 0.4 * sum * rise(t, 0.004) * rise(0.4 * s - t, 0.03 * s)
      })
    }
    const f0At = (t: number) => notes.find((n) => t >= n.at && t <= n.at + 0.37 * s)?.hz ?? 0
    return { audio: done(to), attacks: notes.map((n) => n.at), f0At }
  },
}

/** A bed of noise with a fixed tilt, different left and right, that breathes with the score. */
const rain: IdealItem = {
  id: 'rain',
  kind: 'noise',
  play(playing) {
    const s = playing.stretch
    const r = semitonesToRatio(playing.semitones)
    const to = tape(4 * s)
    for (const [c, channel] of [to.left, to.right].entries()) {
      const random = createRandom(playing.seed * 65_537 + c)
      const high = grit(random, 4200, 0.6, r)
      const low = grit(random, 700, 0.5, r)
      for (let i = 0; i < channel.length; i++) {
        channel[i] = (0.9 * high() + 0.5 * low()) * (1 + 0.15 * Math.sin((TAU * 0.7 * i) / (IDEAL_RATE * s)))
      }
    }
    return { audio: done(to), attacks: [] }
  },
}

/** A tone left, hits right, noise wide: what a stretch does to the image shows. */
const scene: IdealItem = {
  id: 'scene',
  kind: 'scene',
  play(playing) {
    const s = playing.stretch
    const bed = rain.play(playing).audio
    const to = tape(4 * s)
    const r = semitonesToRatio(playing.semitones)
    organ(to, playing.seed, 0.1 * s, 3.8 * s, -0.7, 0.25, 220, r, 0.1 * s)
    organ(to, playing.seed, 0.1 * s, 3.8 * s, -0.2, 0.12, 330, r, 0.1 * s)
    const attacks = [0.5, 1.25, 2, 2.75, 3.5].map((at, n) => {
      const noise = grit(createRandom(playing.seed * 13 + n), 2500, 1, r)
      add(to, at * s, 0.2, 0.8, (t) => Math.exp(-t / 0.03) * noise())
      return at * s
    })
    for (const [c, channel] of [to.left, to.right].entries()) {
      for (let i = 0; i < channel.length; i++) channel[i] = (channel[i] as number) + 0.08 * (bed.channels[c]?.[i] ?? 0)
    }
    return { audio: done(to), attacks }
  },
}

const drumsOverChords: IdealItem = {
  id: 'drums over chords',
  kind: 'mix',
  play(playing) {
    const beat = 0.6 * playing.stretch
    const to = tape(8.25 * beat)
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const partials: { hz: number; from: number; to: number }[] = []
    for (const [n, midi] of [45, 57, 64, 69].entries()) {
      const hz = noteHz(midi) * r
      organ(to, playing.seed, 0.05 * s, 4.85 * s, 0.4 * (n - 1.5), 0.07, noteHz(midi), r, 0.02 * s)
      // above where the kick sweeps and the snare rings
      if (n === 0) for (const k of [4, 7]) partials.push({ hz: k * hz, from: 0.5 * s, to: 4.5 * s })
    }
    return { attacks: [0.05 * s, ...playStrokes(to, loop, 0.25 * beat, beat, playing)], audio: done(to), partials }
  },
}

/** A sine that glides over nine octaves: whatever folds back lies off its line. */
const sweep: IdealItem = {
  id: 'sweep',
  kind: 'line',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(4 * s)
    const top = Math.log2(20_000 / 40)
    for (let i = 0, phase = 0; i < to.left.length; i++) {
      const t = i / IDEAL_RATE / (4 * s)
      const hz = 40 * 2 ** (top * t) * r
      phase += hz / IDEAL_RATE
      const value = hz < IDEAL_RATE / 2 ? 0.5 * Math.sin(TAU * phase) : 0
      to.left[i] = value
      to.right[i] = value
    }
    return { audio: done(to), attacks: [], f0At: (t) => 40 * 2 ** ((top * t) / (4 * s)) * r }
  },
}

export const idealItems: readonly IdealItem[] = [
  drums,
  castanets,
  chord,
  arpeggio,
  glide,
  voice,
  bass,
  rain,
  scene,
  drumsOverChords,
  sweep,
]
