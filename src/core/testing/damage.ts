import type { AudioBlock } from '../audio/block'
import { createRandom } from '../dsp/random'

/** Harm done on purpose, one kind at a time, so that measures can be seen to rise with it. All return new blocks. */

type Change = (samples: Float32Array, channel: number) => Float32Array

const each = (audio: AudioBlock, change: Change): AudioBlock => ({ ...audio, channels: audio.channels.map(change) })
const frame = (audio: AudioBlock, seconds: number) => Math.round(seconds * audio.sampleRate)

/** Silence some hits: from a little before each time until the next start. */
export function loseAttacks(audio: AudioBlock, starts: readonly number[], lost: readonly number[]): AudioBlock {
  return each(audio, (samples) => {
    const out = samples.slice()
    for (const n of lost) {
      const from = frame(audio, (starts[n] as number) - 0.004)
      const to = Math.min(out.length, frame(audio, (starts[n + 1] ?? 1e9) - 0.004))
      out.fill(0, Math.max(0, from), to)
    }
    return out
  })
}

/** Let some hits come twice, the second time `afterSeconds` later and `gain` as loud. */
export function repeatAttacks(
  audio: AudioBlock,
  starts: readonly number[],
  repeated: readonly number[],
  afterSeconds: number,
  gain = 0.7,
): AudioBlock {
  return each(audio, (samples) => {
    const out = samples.slice()
    const length = frame(audio, 0.05)
    for (const n of repeated) {
      const from = frame(audio, starts[n] as number)
      const to = from + frame(audio, afterSeconds)
      for (let i = 0; i < length && to + i < out.length; i++) {
        const fade = i < length / 2 ? 1 : 2 - (2 * i) / length
        out[to + i] = (out[to + i] as number) + gain * fade * (samples[from + i] as number)
      }
    }
    return out
  })
}

/** Move some hits: each piece from its start to the next is laid `ms` later (or earlier). */
export function slipAttacks(audio: AudioBlock, starts: readonly number[], ms: readonly number[]): AudioBlock {
  return each(audio, (samples) => {
    const out = new Float32Array(samples.length)
    const edges = [0, ...starts.map((at) => frame(audio, at) - 24), samples.length]
    for (let n = 0; n + 1 < edges.length; n++) {
      const from = edges[n] as number
      const to = edges[n + 1] as number
      const shift = n === 0 ? 0 : frame(audio, (ms[(n - 1) % ms.length] as number) / 1000)
      for (let i = from; i < to; i++) {
        const at = i + shift
        if (at >= 0 && at < out.length) out[at] = (out[at] as number) + (samples[i] as number)
      }
    }
    return out
  })
}

/** Spread everything in time by a burst of noise of `ms`, which keeps the long-term level. */
export function smear(audio: AudioBlock, ms: number): AudioBlock {
  const taps = Math.max(1, frame(audio, ms / 1000))
  const random = createRandom(11)
  const burst = Float32Array.from({ length: taps }, () => 2 * random() - 1)
  const norm = 1 / Math.sqrt(burst.reduce((sum, v) => sum + v * v, 0))
  return each(audio, (samples) => {
    if (ms === 0) return samples.slice()
    const out = new Float32Array(samples.length)
    // centred, so that nothing slips
    const half = taps >> 1
    for (let i = 0; i < samples.length; i++) {
      const value = (samples[i] as number) * norm
      if (value === 0) continue
      const to = Math.min(taps, samples.length - i + half)
      for (let n = Math.max(0, half - i); n < to; n++)
        out[i + n - half] = (out[i + n - half] as number) + value * (burst[n] as number)
    }
    return out
  })
}

/** Let the level swing by `percent` of the amplitude at `hz`. */
export function modulate(audio: AudioBlock, hz: number, percent: number): AudioBlock {
  return each(audio, (samples) =>
    samples.map((v, i) => v * (1 + (percent / 100) * Math.sin((2 * Math.PI * hz * i) / audio.sampleRate))),
  )
}

/** Play everything `cents` higher without changing its length: read faster by linear steps within short pieces. */
export function detune(audio: AudioBlock, cents: number): AudioBlock {
  const ratio = 2 ** (cents / 1200)
  return each(audio, (samples) =>
    Float32Array.from({ length: samples.length }, (_, i) => {
      const at = i * ratio
      const k = Math.floor(at)
      const t = at - k
      const p = (n: number) => samples[Math.min(samples.length - 1, Math.max(0, k + n))] as number
      // four-point Hermite: flat enough below 8 kHz
      const c1 = (p(1) - p(-1)) / 2
      const c2 = p(-1) - 2.5 * p(0) + 2 * p(1) - 0.5 * p(2)
      const c3 = (p(2) - p(-1)) / 2 + 1.5 * (p(0) - p(1))
      return ((c3 * t + c2) * t + c1) * t + p(0)
    }),
  )
}

/** Spread every partial to both sides: the sound times noise of about `hz` width, `gain` as loud, is mixed in. */
export function diffuse(audio: AudioBlock, hz: number, gain: number): AudioBlock {
  const a = Math.exp((-2 * Math.PI * hz) / audio.sampleRate)
  return each(audio, (samples) => {
    const random = createRandom(23)
    let y = 0
    const level = gain * Math.sqrt((3 * (1 + a)) / (1 - a))
    return samples.map((v) => {
      y = a * y + (1 - a) * (2 * random() - 1)
      return v * (1 + level * y)
    })
  })
}

/** Replace the sound by copies of short pieces of itself, each heard `times` times over: metallic noise. */
export function repeatPieces(audio: AudioBlock, ms: number, share: number): AudioBlock {
  const length = frame(audio, ms / 1000)
  return each(audio, (samples) =>
    samples.map((v, i) => {
      const n = Math.floor(i / length)
      // of every three pieces the second and third are the first again
      const from = (n - (n % 3)) * length + (i % length)
      return (1 - share) * v + share * (samples[from] as number)
    }),
  )
}

export function gain(audio: AudioBlock, db: number): AudioBlock {
  return each(audio, (samples) => samples.map((v) => v * 10 ** (db / 20)))
}

/** Make one channel louder against the other. */
export function lean(audio: AudioBlock, db: number): AudioBlock {
  return each(audio, (samples, c) => samples.map((v) => v * 10 ** ((c === 0 ? db : -db) / 40)))
}

/** Bring the channels together: 1 is mono. */
export function narrow(audio: AudioBlock, share: number): AudioBlock {
  const [left, right] = audio.channels as [Float32Array, Float32Array]
  return each(audio, (samples, c) =>
    samples.map((v, i) => v * (1 - share / 2) + (share / 2) * ((c === 0 ? right : left)[i] as number)),
  )
}

/** Take highs away: a one-pole low-pass at `hz`. */
export function dull(audio: AudioBlock, hz: number): AudioBlock {
  const a = Math.exp((-2 * Math.PI * hz) / audio.sampleRate)
  return each(audio, (samples) => {
    let y = 0
    return samples.map((v) => {
      y = (1 - a) * v + a * y
      return y
    })
  })
}

/** Jumps of the waveform at even places: from each on, `size` is added, dying away within 5 ms. */
export function clicks(audio: AudioBlock, count: number, size: number): AudioBlock {
  return each(audio, (samples) => {
    const out = samples.slice()
    for (let n = 1; n <= count; n++) {
      const at = Math.round(((n - 0.37) * samples.length) / count)
      for (let i = 0; i < frame(audio, 0.005) && at + i < out.length; i++) {
        out[at + i] = (out[at + i] as number) + size * Math.exp(-i / (0.001 * audio.sampleRate))
      }
    }
    return out
  })
}

/** Fold the spectrum over: the sound ring-modulated at `hz`, `db` under itself. */
export function alias(audio: AudioBlock, hz: number, db: number): AudioBlock {
  const level = 2 * 10 ** (db / 20)
  return each(audio, (samples) =>
    samples.map((v, i) => v + level * v * Math.cos((2 * Math.PI * hz * i) / audio.sampleRate)),
  )
}
