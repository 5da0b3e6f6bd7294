import { methods, renderBlock } from '../core'
import { detectAttacks } from '../core/analysis/attacks'
import { complexFft } from '../core/dsp/fft'
import { know } from '../core/knowledge/know'
import { finish } from '../core/task'
import { AS_WRITTEN, idealItems } from '../core/testing/ideals'
import { recipe } from '../core/testing/recipes'
import { noise } from '../core/testing/signals'

/**
 * Speed of every method as seconds of stereo sound per second of one core, beside the library Fourier transform alone:
 * its count of 4096-frame transforms per second in the same run is the yardstick that makes machines comparable. Each
 * method runs over noise and over what it is for; what is found out about a source once (attacks, pitch, layers) is found
 * in a first pass that does not count.
 */
const SECONDS = 4
const ROUNDS = 5
const source = noise({ seconds: SECONDS, seed: 1, channels: 2 })

function cpuSeconds(work: () => void): number {
  const before = process.cpuUsage()
  work()
  const used = process.cpuUsage(before)
  return (used.user + used.system) / 1e6
}

const median = (values: readonly number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number

function transformsPerSecond(): number {
  const fft = complexFft(4096)
  const input = fft.create().map((_, i) => Math.sin(i))
  const out = fft.create()
  const count = 2000
  return (
    count /
    cpuSeconds(() => {
      for (let i = 0; i < count; i++) fft.forward(out, input)
    })
  )
}

const conditions = [
  { stretch: 1.25, pitchSemitones: 0 },
  { stretch: 1, pitchSemitones: 3 },
] as const
const played = (id: string) => idealItems.find((item) => item.id === id)?.play(AS_WRITTEN).audio as typeof source
const materials = [
  { label: 'noise', audio: source, ids: methods.map((method) => method.id) },
  { label: 'voice', audio: played('voice'), ids: ['cycle', 'wsola'] },
  { label: 'mix', audio: played('drums over chords'), ids: ['layered', 'vocoder', 'splice'] },
]
const rows = materials.flatMap(({ label, audio, ids }) =>
  ids.flatMap((id) => conditions.map((condition) => ({ id, label, audio, condition, speeds: [] as number[] }))),
)
for (const row of rows) renderBlock(row.audio, recipe(row.id, row.condition))
const yardstick: number[] = []
const detection: number[] = []
const knowing: number[] = []
const mix = played('drums over chords')
for (let round = 0; round < ROUNDS; round++) {
  yardstick.push(transformsPerSecond())
  for (const row of rows) {
    let frames = 0
    const seconds = cpuSeconds(() => {
      frames = renderBlock(row.audio, recipe(row.id, row.condition)).channels[0]?.length ?? 0
    })
    row.speeds.push(frames / row.audio.sampleRate / seconds)
  }
  detection.push((mix.channels[0]?.length ?? 0) / mix.sampleRate / cpuSeconds(() => finish(detectAttacks(mix))))
  knowing.push((mix.channels[0]?.length ?? 0) / mix.sampleRate / cpuSeconds(() => finish(know(mix))))
}
const perSecond = median(yardstick)
console.log(`yardstick: ${Math.round(perSecond)} complex transforms of 4096 a second`)
console.log('method      material  stretch  pitch   × real time   per 1000 transforms a second')
for (const { id, label, condition, speeds } of rows) {
  const speed = median(speeds)
  console.log(
    `${id.padEnd(12)}${label.padEnd(10)}${String(condition.stretch).padEnd(9)}${`${condition.pitchSemitones} st`.padEnd(8)}${speed.toFixed(1).padEnd(14)}${((speed / perSecond) * 1000).toFixed(2)}`,
  )
}
const detected = median(detection)
console.log(
  `attack detection: ${detected.toFixed(1)} × real time, ${(180 / detected).toFixed(1)} s for three minutes; ${((detected / perSecond) * 1000).toFixed(2)} per 1000 transforms a second`,
)
const known = median(knowing)
console.log(
  `all there is to know: ${known.toFixed(1)} × real time, ${(1000 / known).toFixed(0)} s of one core for 200 sounds of 5 s; ${((known / perSecond) * 1000).toFixed(2)} per 1000 transforms a second`,
)
