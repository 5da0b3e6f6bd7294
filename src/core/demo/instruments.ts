import { createRandom, gaussian, type Random } from '../dsp/random'

/** Demo sounds are all made at one rate, in stereo. */
export const RATE = 48_000

/** Two growing layers that voices are mixed into: what is heard directly, and what the room gets. */
export interface Mix {
  readonly left: Float32Array
  readonly right: Float32Array
  readonly send: Float32Array
  readonly random: Random
}

export function createMix(seconds: number, seed: number): Mix {
  const frames = Math.round(seconds * RATE)
  return {
    left: new Float32Array(frames),
    right: new Float32Array(frames),
    send: new Float32Array(frames),
    random: createRandom(seed),
  }
}

/** Add a mono voice from `at` seconds on; `pan` −1…1 at constant power; `send` is the share the room gets. */
export function place(mix: Mix, voice: Float32Array, at: number, gain: number, pan: number, send: number): void {
  const start = Math.round(at * RATE)
  const angle = ((pan + 1) * Math.PI) / 4
  const gl = gain * Math.cos(angle)
  const gr = gain * Math.sin(angle)
  const first = Math.max(0, -start)
  const end = Math.min(voice.length, mix.left.length - start)
  for (let i = first; i < end; i++) {
    const v = voice[i] as number
    mix.left[start + i] = (mix.left[start + i] as number) + gl * v
    mix.right[start + i] = (mix.right[start + i] as number) + gr * v
    mix.send[start + i] = (mix.send[start + i] as number) + gain * send * v
  }
}

/** A sound of its own length, written frame by frame from seconds since its start. */
export function voice(seconds: number, at: (t: number, i: number) => number): Float32Array {
  return Float32Array.from({ length: Math.max(1, Math.round(seconds * RATE)) }, (_, i) => at(i / RATE, i))
}

/** Modes of a struck body: each a decaying partial; higher ones ring shorter, as they do in wood and metal. */
export function struck(
  random: Random,
  options: {
    seconds: number
    modes: readonly { readonly hz: number; readonly level: number; readonly decay: number }[]
    attackMs?: number
    thump?: number
  },
): Float32Array {
  const { seconds, modes, attackMs = 0.6, thump = 0 } = options
  const phases = modes.map(() => random() * 0.6)
  const out = voice(seconds, (t) => {
    let sum = 0
    modes.forEach((mode, n) => {
      sum += mode.level * Math.exp(-t / mode.decay) * Math.sin(2 * Math.PI * mode.hz * t + (phases[n] as number))
    })
    return sum * Math.min(1, (t * 1000) / attackMs)
  })
  if (thump > 0) {
    const band = bandPass(400, 0.7)
    for (let i = 0; i < Math.min(out.length, 0.03 * RATE); i++) {
      out[i] = (out[i] as number) + thump * band(2 * random() - 1) * Math.exp(-i / (0.005 * RATE))
    }
  }
  fadeOut(out, 0.01)
  return out
}

/** A burst of filtered noise: pawls, chain links, consonants, drops. */
export function burst(
  random: Random,
  options: { seconds: number; hz: number; q: number; decay: number; attackMs?: number },
): Float32Array {
  const band = bandPass(options.hz, options.q)
  const attack = (options.attackMs ?? 0.4) / 1000
  const out = voice(
    options.seconds,
    (t) => band(2 * random() - 1) * Math.exp(-t / options.decay) * Math.min(1, t / attack),
  )
  fadeOut(out, 0.004)
  return out
}

/** A reed: a bright, slightly buzzing wave with its own slow waver. `hzAt` gives the pitch over time. */
export function reed(options: {
  seconds: number
  hzAt: (t: number) => number
  partials: readonly number[]
  riseSeconds: number
  fallSeconds: number
  waver?: number
  phase?: number
}): Float32Array {
  const { seconds, hzAt, partials, riseSeconds, fallSeconds, waver = 0, phase = 0 } = options
  let turn = phase
  return voice(seconds, (t) => {
    const hz = hzAt(t)
    turn += hz / RATE
    let sum = 0
    partials.forEach((level, n) => {
      if (hz * (n + 1) < 20_000) sum += level * Math.sin(2 * Math.PI * turn * (n + 1) + n * n * 0.7)
    })
    const rise = Math.min(1, t / riseSeconds)
    const fall = Math.min(1, Math.max(0, (seconds - t) / fallSeconds))
    const breath = 1 + waver * Math.sin(2 * Math.PI * 4.3 * t + phase)
    return sum * breath * Math.sin((Math.PI / 2) * rise) * Math.sin((Math.PI / 2) * fall)
  })
}

/** A two-pole band-pass, one sample at a time (Bristow-Johnson's constant-peak form). */
export function bandPass(hz: number, q: number): (x: number) => number {
  const w = (2 * Math.PI * Math.min(hz, RATE * 0.45)) / RATE
  const alpha = Math.sin(w) / (2 * q)
  const a0 = 1 + alpha
  const b0 = alpha / a0
  const a1 = (-2 * Math.cos(w)) / a0
  const a2 = (1 - alpha) / a0
  let x1 = 0
  let x2 = 0
  let y1 = 0
  let y2 = 0
  return (x) => {
    const y = b0 * (x - x2) - a1 * y1 - a2 * y2
    x2 = x1
    x1 = x
    y2 = y1
    y1 = y
    return y
  }
}

/** A formant whose place and width may move: a two-pole resonator of unit gain at its peak. */
export function resonator(): (x: number, hz: number, widthHz: number) => number {
  let y1 = 0
  let y2 = 0
  return (x, hz, widthHz) => {
    const r = Math.exp((-Math.PI * widthHz) / RATE)
    const w = (2 * Math.PI * hz) / RATE
    const b1 = 2 * r * Math.cos(w)
    const b2 = -r * r
    const gain = (1 - r) * Math.sqrt(1 - 2 * r * Math.cos(2 * w) + r * r)
    const y = gain * x + b1 * y1 + b2 * y2
    y2 = y1
    y1 = y
    return y
  }
}

export function fadeOut(samples: Float32Array, seconds: number): void {
  const frames = Math.min(samples.length, Math.round(seconds * RATE))
  for (let i = 0; i < frames; i++) {
    const at = samples.length - 1 - i
    samples[at] = (samples[at] as number) * (i / frames)
  }
}

/**
 * A small hall around the send layer: eight delay lines that feed each other through a Householder matrix, each losing
 * highs on every round. Adds to left and right and bends nothing else.
 * Source  Jot & Chaigne 1991, "Digital delay networks for designing artificial reverberators".
 */
export function addRoom(mix: Mix, options: { seconds: number; level: number; damping?: number; size?: number }): void {
  const { seconds, level, damping = 0.35, size = 1 } = options
  const lengths = [1116, 1356, 1557, 1617, 1877, 2053, 2251, 2473].map((frames) => Math.round(frames * size))
  const lines = lengths.map((frames) => new Float32Array(frames))
  const at = lengths.map(() => 0)
  const gains = lengths.map((frames) => 10 ** ((-3 * frames) / (seconds * RATE)))
  const dark = new Float64Array(lengths.length)
  for (let i = 0; i < mix.send.length; i++) {
    let sum = 0
    let left = 0
    let right = 0
    for (let n = 0; n < lines.length; n++) {
      const out = (lines[n] as Float32Array)[at[n] as number] as number
      dark[n] = (dark[n] as number) * damping + out * (1 - damping)
      sum += dark[n] as number
      if (n % 2 === 0) left += out
      else right += out * (n % 4 === 1 ? 1 : -1)
    }
    const input = mix.send[i] as number
    for (let n = 0; n < lines.length; n++) {
      const line = lines[n] as Float32Array
      const place = at[n] as number
      line[place] = input + (gains[n] as number) * ((dark[n] as number) - (2 / lines.length) * sum)
      at[n] = place + 1 === line.length ? 0 : place + 1
    }
    mix.left[i] = (mix.left[i] as number) + level * left
    mix.right[i] = (mix.right[i] as number) + level * right
  }
}

/** Bring the louder channel's peak to `peak`. */
export function normalise(mix: Mix, peak: number): void {
  let most = 1e-9
  for (const channel of [mix.left, mix.right]) for (const value of channel) most = Math.max(most, Math.abs(value))
  for (const channel of [mix.left, mix.right]) {
    for (let i = 0; i < channel.length; i++) channel[i] = ((channel[i] as number) * peak) / most
  }
}

export { gaussian }
