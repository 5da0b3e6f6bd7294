/** One second-order filter section with its state; coefficients normalised to a0 = 1. */
interface Section {
  b0: number
  b1: number
  b2: number
  a1: number
  a2: number
}

/**
 * The two K-weighting sections at any sample rate: the analogue shapes behind the published 48 kHz coefficients, by
 * the bilinear transform.
 * Source  ITU-R BS.1770-4 annex 1, tables 1 and 2; parameters from Brecht De Man 2014, "Evaluation of implementations
 * of the EBU R128 loudness measurement".
 */
function kWeighting(sampleRate: number): [Section, Section] {
  const shelf = (() => {
    const k = Math.tan((Math.PI * Math.min(1681.974450955533, sampleRate * 0.49)) / sampleRate)
    const q = 0.7071752369554196
    const vh = 10 ** (3.999843853973347 / 20)
    const vb = vh ** 0.4996667741545416
    const a0 = 1 + k / q + k * k
    return {
      b0: (vh + (vb * k) / q + k * k) / a0,
      b1: (2 * (k * k - vh)) / a0,
      b2: (vh - (vb * k) / q + k * k) / a0,
      a1: (2 * (k * k - 1)) / a0,
      a2: (1 - k / q + k * k) / a0,
    }
  })()
  const k = Math.tan((Math.PI * 38.13547087602444) / sampleRate)
  const q = 0.5003270373238773
  const a0 = 1 + k / q + k * k
  return [shelf, { b0: 1, b1: -2, b2: 1, a1: (2 * (k * k - 1)) / a0, a2: (1 - k / q + k * k) / a0 }]
}

const ABSOLUTE_GATE_LUFS = -70
const STEPS_PER_WINDOW = 4

/** What one part of a sound adds to its loudness: weighted sums of squares of each step from `first` on, the last one maybe cut. */
export interface LoudnessPart {
  readonly first: number
  readonly powers: readonly number[]
}

const stepFramesOf = (sampleRate: number) => Math.max(1, Math.round(sampleRate * 0.1))

/**
 * Integrated loudness of blocks as they come: K-weighted, 400 ms windows at 75 % overlap, gated at −70 LUFS and at
 * 10 LU below the mean of what passed. A sound shorter than one window is weighed whole, ungated. Silence is −Infinity.
 * Units  LUFS. Surround channels (from the fourth on; the LFE of 6 and 8 channels left out) count by 1.41.
 * Source ITU-R BS.1770-4.
 * @param from  the frame of the sound at which the blocks begin, where they are a part of it; the filters begin at rest there.
 */
export function createLoudnessMeter(sampleRate: number, channelCount: number, from = 0) {
  const sections = kWeighting(sampleRate)
  const states = Array.from({ length: channelCount }, () => new Float64Array(4))
  const weights = Array.from({ length: channelCount }, (_, c) => channelWeight(c, channelCount))
  const stepFrames = stepFramesOf(sampleRate)
  const first = Math.floor(from / stepFrames)
  const powers: number[] = []
  let power = 0
  let inStep = from - first * stepFrames
  let frames = 0
  const part = (): LoudnessPart => ({ first, powers: [...powers, power] })

  return {
    add(block: readonly Float32Array[], count: number) {
      for (let at = 0; at < count; ) {
        const to = Math.min(count, at + stepFrames - inStep)
        for (let c = 0; c < channelCount; c++)
          power += (weights[c] as number) * weigh(block[c] as Float32Array, at, to, c)
        inStep += to - at
        frames += to - at
        at = to
        if (inStep === stepFrames) {
          powers.push(power)
          power = 0
          inStep = 0
        }
      }
    },
    part,
    finish: (): number => loudnessOf(frames, sampleRate, [part()]),
  }

  function weigh(samples: Float32Array, from: number, to: number, c: number): number {
    const [shelf, highPass] = sections
    const state = states[c] as Float64Array
    let [s0, s1, s2, s3] = state as unknown as [number, number, number, number]
    let sum = 0
    for (let i = from; i < to; i++) {
      const x = samples[i] as number
      const y = shelf.b0 * x + s0
      s0 = shelf.b1 * x - shelf.a1 * y + s1
      s1 = shelf.b2 * x - shelf.a2 * y
      const z = highPass.b0 * y + s2
      s2 = highPass.b1 * y - highPass.a1 * z + s3
      s3 = highPass.b2 * y - highPass.a2 * z
      sum += z * z
    }
    state[0] = s0
    state[1] = s1
    state[2] = s2
    state[3] = s3
    return sum
  }
}

/** The loudness of a sound from its parts, in any order; steps that two of them share hold both. */
export function loudnessOf(frames: number, sampleRate: number, parts: readonly LoudnessPart[]): number {
  const stepFrames = stepFramesOf(sampleRate)
  const steps = new Float64Array(Math.ceil(frames / stepFrames) + 1)
  for (const { first, powers } of parts)
    powers.forEach((power, i) => {
      steps[first + i] = (steps[first + i] as number) + power
    })
  const windows: number[] = []
  for (let i = 0; i + STEPS_PER_WINDOW <= Math.floor(frames / stepFrames); i++) {
    let sum = 0
    for (let j = 0; j < STEPS_PER_WINDOW; j++) sum += (steps[i + j] as number) / stepFrames
    windows.push(sum / STEPS_PER_WINDOW)
  }
  if (windows.length === 0) return toLufs(steps.reduce((sum, power) => sum + power, 0) / Math.max(1, frames))
  const loud = windows.filter((value) => toLufs(value) > ABSOLUTE_GATE_LUFS)
  const gate = toLufs(mean(loud)) - 10
  return toLufs(mean(loud.filter((value) => toLufs(value) > gate)))
}

function channelWeight(c: number, channelCount: number): number {
  if (channelCount < 4) return 1
  if (channelCount >= 6 && c === 3) return 0
  return c >= (channelCount >= 6 ? 4 : channelCount === 5 ? 3 : 2) ? 1.41 : 1
}

function mean(values: readonly number[]): number {
  return values.length === 0 ? 0 : values.reduce((sum, value) => sum + value, 0) / values.length
}

function toLufs(power: number): number {
  return -0.691 + 10 * Math.log10(power)
}
