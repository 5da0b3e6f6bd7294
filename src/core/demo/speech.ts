import type { Random } from '../dsp/random'
import { bandPass, RATE, resonator } from './instruments'

/**
 * A speaker without a recording: a pulse train with jitter and falling tone through five moving resonators, noise
 * through a band for consonants, closures for stops.
 * Source  Klatt 1980, "Software for a cascade/parallel formant synthesizer"; formants after Peterson & Barney 1952.
 */
export interface Phone {
  readonly seconds: number
  /** first three formants in Hz; taken over from the last phone where left out */
  readonly formants?: readonly [number, number, number]
  /** 0–1 */
  readonly voiced: number
  readonly noise?: { readonly hz: number; readonly q: number; readonly level: number }
  /** a stop: silence, then a burst at its end */
  readonly stop?: boolean
}

const SOUNDS: Readonly<Record<string, Phone>> = {
  a: { seconds: 0.15, formants: [730, 1090, 2440], voiced: 1 },
  e: { seconds: 0.12, formants: [530, 1840, 2480], voiced: 1 },
  i: { seconds: 0.13, formants: [270, 2290, 3010], voiced: 1 },
  I: { seconds: 0.09, formants: [390, 1990, 2550], voiced: 1 },
  o: { seconds: 0.15, formants: [570, 840, 2410], voiced: 1 },
  u: { seconds: 0.13, formants: [300, 870, 2240], voiced: 1 },
  '@': { seconds: 0.07, formants: [500, 1400, 2400], voiced: 0.9 },
  m: { seconds: 0.08, formants: [280, 1000, 2200], voiced: 0.45 },
  n: { seconds: 0.07, formants: [280, 1500, 2400], voiced: 0.45 },
  l: { seconds: 0.07, formants: [360, 1200, 2700], voiced: 0.6 },
  r: { seconds: 0.07, formants: [420, 1250, 1650], voiced: 0.6 },
  w: { seconds: 0.07, formants: [300, 700, 2200], voiced: 0.6 },
  v: { seconds: 0.06, voiced: 0.4, noise: { hz: 3500, q: 0.8, level: 0.12 } },
  z: { seconds: 0.08, voiced: 0.3, noise: { hz: 6500, q: 2, level: 0.3 } },
  D: { seconds: 0.05, voiced: 0.4, noise: { hz: 5000, q: 0.7, level: 0.08 } },
  s: { seconds: 0.11, voiced: 0, noise: { hz: 6800, q: 2.2, level: 0.5 } },
  S: { seconds: 0.11, voiced: 0, noise: { hz: 3200, q: 1.8, level: 0.5 } },
  f: { seconds: 0.09, voiced: 0, noise: { hz: 4200, q: 0.6, level: 0.22 } },
  h: { seconds: 0.06, voiced: 0, noise: { hz: 1500, q: 0.6, level: 0.2 } },
  t: { seconds: 0.08, voiced: 0, stop: true, noise: { hz: 4800, q: 1.2, level: 0.8 } },
  k: { seconds: 0.08, voiced: 0, stop: true, noise: { hz: 2100, q: 1.6, level: 0.8 } },
  p: { seconds: 0.08, voiced: 0, stop: true, noise: { hz: 900, q: 0.8, level: 0.7 } },
  d: { seconds: 0.06, voiced: 0.15, stop: true, noise: { hz: 4000, q: 1.2, level: 0.5 } },
  b: { seconds: 0.06, voiced: 0.15, stop: true, noise: { hz: 700, q: 0.8, level: 0.5 } },
  g: { seconds: 0.06, voiced: 0.15, stop: true, noise: { hz: 1900, q: 1.4, level: 0.5 } },
  _: { seconds: 0.16, voiced: 0 },
}

/**
 * Speak a line of the sounds above (one letter each, blanks ignored); returns it with the times of its attacks and of
 * its sounds.
 */
export function speak(line: string, baseHz: number, random: Random) {
  const letters = [...line.replace(/\s/g, '')]
  const phones = letters.map((letter) => {
    const phone = SOUNDS[letter]
    if (!phone) throw new RangeError(`speak: no sound for "${letter}"`)
    return phone
  })
  const seconds = phones.reduce((sum, phone) => sum + phone.seconds, 0)
  const samples = new Float32Array(Math.round(seconds * RATE))
  const attacks: number[] = []
  const sounds: { readonly letter: string; readonly from: number; readonly to: number }[] = []
  const glide: [number, number][] = []
  const cavities = Array.from({ length: 5 }, resonator)
  let formants: readonly number[] = [500, 1500, 2500]
  let turn = 0
  let voicing = 0
  let tilt = 0
  let start = 0
  let pulseGain = 1

  for (let n = 0; n < phones.length; n++) {
    const phone = phones[n] as Phone
    const goal = phone.formants ?? phones[n + 1]?.formants ?? formants
    const from = [...formants]
    const band = phone.noise ? bandPass(phone.noise.hz, phone.noise.q) : undefined
    const frames = Math.round(phone.seconds * RATE)
    const before = phones[n - 1]
    if (phone.stop) attacks.push(start + phone.seconds * 0.65)
    else if (phone.voiced > 0.8 && (!before || (before.voiced < 0.1 && !before.stop))) attacks.push(start)
    else if (phone.voiced === 0 && phone.noise && (!before || before.voiced > 0.3 || !before.noise)) attacks.push(start)
    for (let i = 0; i < frames; i++) {
      const at = Math.round(start * RATE) + i
      if (at >= samples.length) break
      const t = at / RATE
      const along = Math.min(1, i / (0.045 * RATE))
      const ease = 0.5 - 0.5 * Math.cos(Math.PI * along)
      const declination = 1.12 - 0.3 * (t / seconds)
      const hz =
        baseHz * declination * (1 + 0.07 * Math.sin(2 * Math.PI * 1.1 * t) + 0.012 * Math.sin(2 * Math.PI * 5.1 * t))
      voicing += (phone.voiced - voicing) * 0.0012
      turn += hz / RATE
      if (turn >= 1) {
        turn -= 1 - 0.006 * (random() - 0.5)
        pulseGain = 1 + 0.06 * (random() - 0.5)
        if (voicing > 0.5) glide.push([t, hz])
      }
      // Rosenberg's glottal flow, differentiated: opening for 40 % of the period, closing sharply over 16 %
      const flow =
        turn < 0.4
          ? Math.sin((Math.PI * turn) / 0.4) * 0.5
          : turn < 0.56
            ? -Math.sin((Math.PI * (turn - 0.4)) / 0.16)
            : 0
      const breath = 0.012 * (2 * random() - 1)
      let x = voicing * (pulseGain * flow + breath)
      tilt += (x - tilt) * 0.5
      x = tilt
      let sum = 0
      for (let f = 0; f < 5; f++) {
        const low = from[f] ?? [3400, 4400][f - 3] ?? 3000
        const high = goal[f] ?? low
        const place = f < 3 ? low + (high - low) * ease : low
        const width = [70, 95, 130, 220, 300][f] as number
        sum += [1, 0.7, 0.42, 0.16, 0.09][f]! * (f % 2 === 0 ? 1 : -1) * cavities[f]!(x, place, width)
      }
      let noise = 0
      if (band && phone.noise) {
        const local = i / RATE
        const shape = phone.stop
          ? local < phone.seconds * 0.65
            ? 0
            : Math.exp(-(local - phone.seconds * 0.65) / 0.009)
          : Math.min(1, local / 0.012, (phone.seconds - local) / 0.015)
        noise = band(2 * random() - 1) * phone.noise.level * shape
      }
      samples[at] = 6 * sum + noise
    }
    formants = phone.formants ?? goal
    sounds.push({ letter: letters[n] as string, from: start, to: start + phone.seconds })
    start += phone.seconds
  }
  return { samples, seconds, attacks, sounds, glide }
}
