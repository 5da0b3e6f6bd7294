import { isMainThread } from 'node:worker_threads'
import {
  asSource,
  choosingTask,
  layMix,
  type MixPart,
  methods,
  mixVoice,
  openPart,
  openRendering,
  renderBlock,
  silence,
  soundSource,
} from '../core'
import { ALL_NEEDS, analyse } from '../core/analysis/analysis'
import { detectAttacks } from '../core/analysis/attacks'
import { fftKernel, type Transform } from '../core/kernels/fft'
import { know } from '../core/knowledge/know'
import { measureTask } from '../core/measure/measure'
import { readSource } from '../core/measure/sourceReading'
import { needsOf } from '../core/render/openVoice'
import { finish } from '../core/task'
import { AS_WRITTEN, idealItems } from '../core/testing/ideals'
import { recipe } from '../core/testing/recipes'
import { comparisonOf } from '../core/trials/comparisonOf'
import { type Gate, measureGates } from './gates'
import { lookBeside } from './looks'
import { services } from './services'
import { serve } from './threads'

/**
 * Speed in figures that machines can be compared by: gates (ratios taken in one run), every method as seconds of stereo sound per
 * second of one core, beside the transforms that it cannot do without, and what is waited for. `--json` prints the gates alone.
 */

function cpuSeconds(work: () => void): number {
  const before = process.cpuUsage()
  work()
  const used = process.cpuUsage(before)
  return Math.max(1, used.user + used.system) / 1e6
}

function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[values.length >> 1] as number
}

async function report(gates: readonly Gate[]) {
  console.log('# How fast it is\n')
  console.log(
    'Made by `npm run bench -- --write`. Everything is CPU time of one core, medians of several rounds; ratios are',
  )
  console.log('taken in one run, so that another machine, or another hour of this one, may be compared.\n')
  console.log('## Gates\n')
  console.log('| gate | limit | measured | holds |')
  console.log('| --- | --- | --- | --- |')
  for (const { name, limit, wants, value, holds } of gates)
    console.log(`| ${name} | ${wants} ${limit} | ${value.toFixed(2)} | ${holds ? 'yes' : '**no**'} |`)
  speeds()
  together()
  waits()
  await choices()
}

/** Transforms that a method lays out for each output second of a stereo sound at 44.1 kHz: their size and how many. */
const FLOORS: Readonly<Record<string, (rate: number) => readonly (readonly [size: number, count: number])[]>> = {
  // the windows that are picked for this material; two forward and one back for every column
  vocoder: (rate) => [[8192, (3 * rate) / 2048]],
  // two forward and two back
  drift: (rate) => [[8192, (4 * rate) / 2048]],
}

function speeds() {
  const item = idealItems.find(({ id }) => id === 'drums over chords')
  if (!item) return
  // the same samples, said to be at 44.1 kHz
  const source = { sampleRate: 44_100, channels: item.play(AS_WRITTEN).audio.channels }
  const analysis = analyse(source, ALL_NEEDS, {})
  console.log('\n## Every method, × real time (stereo, 44.1 kHz)\n')
  console.log('| method | 0.8 × | 1.25 × | 4 × | 20 × | 1.25 × and 3 st | time over that of its transforms, 1.25 × |')
  console.log('| --- | --- | --- | --- | --- | --- | --- |')
  for (const { id, label } of methods) {
    const speedOf = (stretch: number, pitchSemitones: number) => {
      const own = recipe(id, { stretch, pitchSemitones })
      const { map, voice } = openRendering(source, own, analysis)
      const frames = Math.min(map.outputFrames, 8 * source.sampleRate)
      const out = silence(2, 4096)
      const values = Array.from({ length: 4 }, () =>
        cpuSeconds(() => {
          for (let at = 0; at + 4096 <= frames; at += 4096) voice.read(at, out)
        }),
      )
      // the first round makes what is kept
      return frames / source.sampleRate / median(values.slice(1))
    }
    const all = [0.8, 1.25, 4, 20].map((stretch) => speedOf(stretch, 0))
    const floor = FLOORS[id]?.(source.sampleRate).reduce(
      (sum, [size, count]) => sum + count * transformSeconds(size),
      0,
    )
    const cells = [...all, speedOf(1.25, 3)].map((value) => value.toFixed(0))
    const over = floor ? (1 / (all[1] as number) / floor).toFixed(2) : '–'
    console.log(`| ${label} | ${cells.join(' | ')} | ${over} |`)
  }
}

/** What live playing takes: blocks of the player's size, of a part that goes round under a tempo that changes. */
function together() {
  const item = idealItems.find(({ id }) => id === 'drums over chords')
  if (!item) return
  const source = { sampleRate: 48_000, channels: item.play(AS_WRITTEN).audio.channels }
  const analysis = analyse(source, ALL_NEEDS, {})
  const sum = { seconds: 0, cpu: 0 }
  console.log('\n## Together: parts on a tempo line, read as the player reads them (stereo, 48 kHz)\n')
  console.log('| method | voices that one core carries live |')
  console.log('| --- | --- |')
  for (const { id, label } of methods) {
    const seconds = 12
    const mix = layMix(
      {
        tempoLine: [
          { beat: 0, bpm: 100, curve: 'linear' },
          { beat: 16, bpm: 124 },
        ],
        metre: [],
        rows: [{ gainDb: 0, muted: false, solo: false }],
        parts: [benchPart(id)],
      },
      () => soundSource(source),
      source.sampleRate,
    )
    const out = silence(2, 128)
    const values = Array.from({ length: 3 }, () => {
      const voice = mixVoice(mix, (laid) => openPart(laid, source, analysis, source.sampleRate))
      return cpuSeconds(() => {
        for (let at = 0; at < seconds * source.sampleRate; at += 128) voice.read(at, out)
      })
    })
    // the first round makes what is kept
    const cpu = median(values.slice(1))
    sum.seconds += seconds
    sum.cpu += cpu
    console.log(`| ${label} | ${Math.floor(seconds / cpu)} |`)
  }
  const perStem = sum.cpu / sum.seconds
  console.log(`| sixteen stems, two of each method, by two cores | ${(2 / (16 * perStem)).toFixed(1)} × real time |`)
}

const benchPart = (methodId: string): MixPart => ({
  id: methodId,
  row: 0,
  source: 'bench',
  recipe: recipe(methodId, {}),
  lock: 'bars',
  startBeat: 0,
  beats: 64,
  offset: 0,
  feel: 1,
  repeat: true,
  gainDb: 0,
  fadeIn: 0,
  fadeOut: 0,
  own: { bpm: 112, firstBeat: 0 },
})

function transformSeconds(size: number): number {
  const kernel = fftKernel(size) as Transform
  const input = Float32Array.from({ length: 2 * size }, (_, i) => Math.sin(i * i))
  const out = new Float32Array(2 * size)
  const count = 400
  return (
    median(
      Array.from({ length: 7 }, () =>
        cpuSeconds(() => {
          for (let n = 0; n < count; n++) kernel.forward(out, input)
        }),
      ),
    ) / count
  )
}

function waits() {
  const item = idealItems.find(({ id }) => id === 'drums over chords')
  if (!item) return
  const { audio } = item.play(AS_WRITTEN)
  const seconds = (audio.channels[0]?.length ?? 0) / audio.sampleRate
  const rounds = (work: () => void) => median(Array.from({ length: 5 }, () => cpuSeconds(work)))
  console.log('\n## What is waited for\n')
  console.log('| what | figure |')
  console.log('| --- | --- |')
  const analysis = analyse(audio, ALL_NEEDS, {})
  for (const { id, label } of methods) {
    const out = silence(2, 128)
    let nudge = 0
    const ms =
      1000 *
      rounds(() => {
        // another length each time, begun in the middle, as a setting that is turned while it plays
        const own = recipe(id, { stretch: 1.25 + 0.001 * nudge++ })
        const { voice, map } = openRendering(audio, own, analysis)
        voice.read(Math.round(map.outputAt(asSource(audio.sampleRate * 2))), out)
      })
    console.log(`| ${label}: from a changed target to its first frames | ${ms.toFixed(1)} ms |`)
  }
  const own = recipe('vocoder', { stretch: 1.25 })
  const result = renderBlock(audio, own)
  const reading = finish(readSource(audio))
  const measured = rounds(() => finish(measureTask(comparisonOf(audio, result, own), reading)))
  console.log(`| measuring a result | ${((seconds * 1.25) / measured).toFixed(1)} × real time |`)
  const found = rounds(() => finish(detectAttacks(audio)))
  console.log(
    `| finding attacks | ${(seconds / found).toFixed(0)} × real time, ${((180 * found) / seconds).toFixed(1)} s for three minutes |`,
  )
  const needed = rounds(() => analyse(audio, needsOf(recipe('cycle', { stretch: 1.25 })), {}))
  console.log(`| attacks and pitch | ${((180 * needed) / seconds).toFixed(1)} s for three minutes |`)
  const known = rounds(() => finish(know(audio)))
  console.log(
    `| all there is to know of a sound | ${(seconds / known).toFixed(1)} × real time, ${((1000 * known) / seconds).toFixed(0)} s for 200 sounds of 5 s |`,
  )
}

const CHOSEN_FOR = ['drums', 'drums over chords', 'voice']
const CHOSEN_FOR_SECONDS = 10

/** How long the choice of a method takes for a loop, by two threads: what is waited for, so wall time. */
async function choices() {
  for (const { id, play } of idealItems.filter((item) => CHOSEN_FOR.includes(item.id))) {
    const { audio } = play(AS_WRITTEN)
    const frames = CHOSEN_FOR_SECONDS * audio.sampleRate
    const channels = audio.channels.map((channel) => {
      const looped = new Float32Array(frames)
      for (let at = 0; at < frames; at += channel.length) looped.set(channel.subarray(0, frames - at), at)
      return looped
    })
    const sound = {
      audio: { ...audio, channels },
      depth: undefined,
      container: 'WAV',
      markers: { cues: [], loops: [] },
    }
    const seconds: number[] = []
    for (let n = 0; n < 3; n++) {
      const from = performance.now()
      const { choosing, known } = finish(
        choosingTask(soundSource(sound.audio), recipe('splice', { stretch: 1.25 }), {}),
      )
      await lookBeside(choosing, sound, known, 2, () => {}, { from: 0, to: 1 })
      seconds.push((performance.now() - from) / 1000)
    }
    console.log(
      `| \`auto\` for ${CHOSEN_FOR_SECONDS} s of ${id}, two threads, wall time | ${median(seconds).toFixed(1)} s |`,
    )
  }
}

if (!isMainThread) serve(services)
else {
  const gates = await measureGates()
  if (process.argv.includes('--json')) console.log(JSON.stringify({ gates }))
  else await report(gates)
}
