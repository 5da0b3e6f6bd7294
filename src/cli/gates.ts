import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import FFT from 'fft.js'
import { type AudioBlock, finish, planExportTask, renderBlock, silence } from '../core'
import { createRandom } from '../core/dsp/random'
import { createSimilaritySearch } from '../core/dsp/similarity'
import { createSincReader } from '../core/dsp/sinc'
import { fftInside, fftKernel, type Transform } from '../core/kernels/fft'
import { RANKS_AT_ONCE, ranks, slidingMedian } from '../core/kernels/ranks'
import { vocoderKernel } from '../core/kernels/vocoderColumn'
import { withoutKernels } from '../core/kernels/wasm'
import { AS_WRITTEN, idealItems } from '../core/testing/ideals'
import { recipe } from '../core/testing/recipes'
import { noise } from '../core/testing/signals'
import { makePieces } from './pieces'

/** A promise of speed, as a ratio of two things timed in one run. */
export interface Gate {
  readonly name: string
  readonly value: number
  readonly limit: number
  /** which side of the limit is the good one */
  readonly wants: 'at most' | 'at least'
  readonly holds: boolean
}

const ROUNDS = 9

function cpuSeconds(work: () => void): number {
  const before = process.cpuUsage()
  work()
  const used = process.cpuUsage(before)
  return Math.max(1, used.user + used.system) / 1e6
}

const median = (values: readonly number[]) => [...values].sort((a, b) => a - b)[values.length >> 1] as number

/** Median over rounds of the time that `a` takes over the time that `b` takes, each timed right behind the other. */
function ratioOf(a: () => void, b: () => void, rounds = ROUNDS): number {
  a()
  b()
  return median(Array.from({ length: rounds }, () => cpuSeconds(a) / cpuSeconds(b)))
}

const times = (count: number, work: () => void) => () => {
  for (let n = 0; n < count; n++) work()
}

const random = createRandom(7)
const randomFloats = (length: number, level = 1) => Float32Array.from({ length }, () => level * (2 * random() - 1))

function realTransform(size: number): () => void {
  const library = new FFT(size)
  const input = Array.from({ length: size }, () => random())
  const out = library.createComplexArray()
  return () => library.realTransform(out, input)
}

function kernelTransform(size: number, level = 1): () => void {
  const kernel = fftKernel(size) as Transform
  const input = randomFloats(2 * size, level)
  const out = new Float32Array(2 * size)
  return () => kernel.forward(out, input)
}

/** The kernel alone, on what lies in its memory. */
function insideTransform(size: number): () => void {
  const inside = fftInside(size)
  if (!inside) throw new Error('there are no kernels here')
  inside.own.floats.set(randomFloats(2 * size), inside.from / 4)
  return () => inside.turn(1, 0)
}

const scaled = (audio: AudioBlock, gain: number): AudioBlock => ({
  ...audio,
  channels: audio.channels.map((channel) => channel.map((value) => gain * value)),
})

/** What one thread takes for a long result, and what two take: wall time and time of both cores. */
async function twoThreads(): Promise<{ wall: number; cpu: number }> {
  const item = idealItems.find(({ id }) => id === 'drums over chords') as (typeof idealItems)[number]
  const { audio } = item.play(AS_WRITTEN)
  const order = {
    recipe: recipe('vocoder', { stretch: 100 }),
    format: '16' as const,
    markers: { cues: [], loops: [] },
  }
  const plan = finish(planExportTask(audio, order))
  const sound = { audio, depth: undefined, container: 'WAV', markers: order.markers }
  const folder = mkdtempSync(join(tmpdir(), 'zumbet-bench-'))
  const target = join(folder, 'long.wav')
  const timed = async (threads: number) => {
    writeFileSync(target, '')
    const before = process.cpuUsage()
    const from = performance.now()
    await makePieces(sound, { order, plan, place: target, target }, threads, undefined, true)
    const { user, system } = process.cpuUsage(before)
    return { wall: performance.now() - from, cpu: user + system }
  }
  try {
    const rounds: { one: Awaited<ReturnType<typeof timed>>; two: Awaited<ReturnType<typeof timed>> }[] = []
    for (let n = 0; n < 5; n++) rounds.push({ one: await timed(1), two: await timed(2) })
    return {
      wall: median(rounds.map(({ one, two }) => one.wall / two.wall)),
      cpu: median(rounds.map(({ one, two }) => two.cpu / one.cpu)),
    }
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/** All gates, measured now. Takes about two minutes. */
export async function measureGates(): Promise<Gate[]> {
  const gates: Gate[] = []
  const gate = (name: string, wants: Gate['wants'], limit: number, value: number) =>
    gates.push({ name, value, limit, wants, holds: wants === 'at most' ? value <= limit : value >= limit })

  for (const size of [1024, 2048, 4096, 8192, 16_384]) {
    const count = Math.ceil(2e7 / size / Math.log2(size))
    // a complex transform serves two real ones
    const value = ratioOf(times(count, insideTransform(size)), times(2 * count, realTransform(size)))
    gate(`transform of ${size} against the library's real one`, 'at most', 0.18, value)
  }

  const source = noise({ seconds: 3, seed: 1, channels: 2 })
  const stretched = recipe('vocoder', { stretch: 1.25, settings: { windowMs: 85, attacks: 'melt' } })
  const drifting = recipe('drift', { stretch: 4 })
  const render =
    (audio: AudioBlock, own = stretched) =>
    () => {
      renderBlock(audio, own)
    }
  // a hop of a quarter window; three transforms forward and one back for each column of a stereo sound
  const hop = 1024
  const count = 100
  const vocoder = vocoderKernel(source.channels, 4 * hop, hop)
  const sum = silence(2, 5 * hop)
  const columns = () => {
    vocoder?.analyse(8000)
    vocoder?.begin()
    for (let k = 1; k < count; k++) {
      vocoder?.analyse(8000 + k * 800, 7200 + k * 800)
      vocoder?.lock()
      vocoder?.lay(sum, 0.1)
    }
  }
  gate(
    'columns of the vocoder, copies included, against their own transforms',
    'at most',
    2,
    ratioOf(columns, times(4 * count, insideTransform(4 * hop))),
  )
  const twinOf = (work: () => void) => () => {
    withoutKernels(true)
    work()
    withoutKernels(false)
  }
  gate(
    'Locked vocoder, times as fast as its twin',
    'at least',
    6,
    1 / ratioOf(render(source), twinOf(render(source)), 5),
  )
  for (const level of [1e-10, 1e-21, 1e-38]) {
    gate(
      `transform of input × ${level}`,
      'at most',
      1.2,
      ratioOf(times(200, kernelTransform(4096, level)), times(200, kernelTransform(4096))),
    )
    gate(
      `Locked vocoder of input × ${level}`,
      'at most',
      1.2,
      ratioOf(render(scaled(source, level)), render(source), 5),
    )
    gate(
      `Spectral drift of input × ${level}`,
      'at most',
      1.2,
      ratioOf(render(scaled(source, level), drifting), render(source, drifting), 5),
    )
  }

  const searchIn = (audio: AudioBlock) => {
    const search = createSimilaritySearch(audio, 1024, 882)
    let place = 5000
    return () => {
      place = 5000 + ((place + 997) % 90_000)
      search(place, place + 1500 - 441, place + 1500 + 441, place + 1500)
    }
  }
  const searched = searchIn(source)
  gate(
    'search for likeness, ±441 frames, against three real transforms',
    'at most',
    1.8,
    ratioOf(times(300, searched), times(900, realTransform(2048))),
  )
  gate(
    'search for likeness in input × 1e-38',
    'at most',
    1.2,
    ratioOf(times(300, searchIn(scaled(source, 1e-38))), times(300, searched)),
  )

  for (const [taps, limit] of [
    [32, 6],
    [64, 8],
  ] as const) {
    const reader = createSincReader(taps, 1)
    const count = 40_000
    const positions = Float64Array.from({ length: count }, (_, n) => 2000 + n * 1.37)
    const out = [new Float32Array(count), new Float32Array(count)]
    const twin = () => {
      for (let n = 0; n < count; n++) reader.readInto(source.channels, positions[n] as number, out, n)
    }
    const kernel = () => reader.readManyInto(source.channels, positions, count, out, 0)
    gate(
      `stereo resampler with ${taps} taps, times as fast as its twin`,
      'at least',
      limit,
      1 / ratioOf(times(10, kernel), times(10, twin)),
    )
    const faint = scaled(source, 1e-38).channels
    const ofFaint = () => reader.readManyInto(faint, positions, count, out, 0)
    gate(
      `stereo resampler with ${taps} taps of input × 1e-38`,
      'at most',
      1.2,
      ratioOf(times(10, ofFaint), times(10, kernel)),
    )
  }

  for (const [width, limit] of [
    [17, 0.8],
    [31, 3],
  ] as const) {
    const levels = randomFloats(2049)
    const out = new Float32Array(2049)
    const slide = slidingMedian(2049, width >> 1)
    const across = () => slide(out, levels)
    const faint = levels.map((level) => 1e-38 * level)
    const acrossFaint = () => slide(out, faint)
    const find = ranks(width, 2049)
    const rows = Array.from({ length: width + RANKS_AT_ONCE - 1 }, () => randomFloats(2049))
    const middle = Array.from({ length: RANKS_AT_ONCE }, () => new Float32Array(2049))
    const along = () => find(rows, middle)
    const transform = fftKernel(4096) as Transform
    const input = randomFloats(8192)
    const spectrum = new Float32Array(8192)
    const real = () => transform.forward(spectrum, input)
    // half a complex transform is a real one
    gate(
      `median across frequency, width ${width}, against one real transform`,
      'at most',
      limit,
      ratioOf(times(400, across), times(200, real)),
    )
    gate(
      `median across frequency, width ${width}, of input × 1e-38`,
      'at most',
      1.2,
      ratioOf(times(400, acrossFaint), times(400, across)),
    )
    gate(
      `median along time, width ${width}, against one real transform`,
      'at most',
      limit,
      ratioOf(times(400 / RANKS_AT_ONCE, along), times(200, real)),
    )
  }
  const { wall, cpu } = await twoThreads()
  gate('a long result by two threads, times as fast as by one', 'at least', 1.6, wall)
  gate('time of all cores for it, against one thread', 'at most', 1.1, cpu)
  return gates
}
