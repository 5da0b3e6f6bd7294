import { methods, renderBlock } from '../core'
import { complexFft } from '../core/dsp/fft'
import { recipe } from '../core/testing/recipes'
import { noise } from '../core/testing/signals'

/**
 * Speed of every method as seconds of stereo sound per second of one core, beside the library Fourier transform alone:
 * its count of 4096-frame transforms per second in the same run is the yardstick that makes machines comparable.
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
const rows = methods.flatMap((method) => conditions.map((condition) => ({ method, condition, speeds: [] as number[] })))
const yardstick: number[] = []
for (let round = 0; round < ROUNDS; round++) {
  yardstick.push(transformsPerSecond())
  for (const row of rows) {
    let frames = 0
    const seconds = cpuSeconds(() => {
      frames = renderBlock(source, recipe(row.method.id, row.condition)).channels[0]?.length ?? 0
    })
    row.speeds.push(frames / source.sampleRate / seconds)
  }
}
const perSecond = median(yardstick)
console.log(`yardstick: ${Math.round(perSecond)} complex transforms of 4096 a second`)
console.log('method      stretch  pitch   × real time   per 1000 transforms a second')
for (const { method, condition, speeds } of rows) {
  const speed = median(speeds)
  console.log(
    `${method.id.padEnd(12)}${String(condition.stretch).padEnd(9)}${`${condition.pitchSemitones} st`.padEnd(8)}${speed.toFixed(1).padEnd(14)}${((speed / perSecond) * 1000).toFixed(2)}`,
  )
}
