import { describe, expect, it } from 'vitest'
import { type Picture, pictureRun } from './film'

const RATE = 25
const LENGTH = 100
const picture = (n: number) => ({ timestamp: n / RATE, duration: 1 / RATE, canvas: {} }) as Picture

/** Pictures from the one before a moment on, each after a turn of the event loop; says where reading began. */
function sink(first = 0) {
  const begun: number[] = []
  return {
    begun,
    async *canvases(from = 0) {
      begun.push(from)
      for (let n = Math.max(first, Math.floor(from * RATE + 1e-6)); n < LENGTH; n++) {
        await Promise.resolve()
        yield picture(n)
      }
    },
  }
}
const turn = () => new Promise((resolve) => setTimeout(resolve, 0))
const numberOf = (shown: Picture | undefined) => shown && Math.round(shown.timestamp * RATE)

describe('pictures for a clock that runs', () => {
  it('are the last that began by then, each read once, at any speed', async () => {
    for (const step of [0.3, 1, 2.7]) {
      const from = sink()
      const run = pictureRun(from)
      run.at(0)
      for (let n = 0; n < LENGTH - 3; n += step) {
        await turn()
        expect(numberOf(run.at((n + 0.01) / RATE))).toBe(Math.floor(n + 0.01))
      }
      expect(from.begun).toEqual([0])
      run.close()
    }
  })
  it('come from another place after a jump, forward or back', async () => {
    const from = sink()
    const run = pictureRun(from)
    for (const seconds of [0, 3, 0.5, 3.98]) {
      run.at(seconds)
      await turn()
      expect(numberOf(run.at(seconds))).toBe(Math.floor(seconds * RATE + 1e-6))
    }
    expect(from.begun).toEqual([0, 3, 0.5, 3.98])
  })
  it('stay the last one behind the end, and the first one before a late start', async () => {
    const run = pictureRun(sink())
    run.at(3.9)
    await turn()
    for (const seconds of [3.96, 4.5, 9]) expect(numberOf(run.at(seconds))).toBe(LENGTH - 1)
    const late = sink(10)
    const other = pictureRun(late)
    other.at(0)
    await turn()
    expect(numberOf(other.at(0.1))).toBe(10)
    await turn()
    expect(numberOf(other.at(0.2))).toBe(10)
    expect(late.begun).toEqual([0])
  })
  it('stay as they are where one cannot be decoded', async () => {
    const run = pictureRun({
      async *canvases() {
        yield picture(0)
        throw new Error('damaged')
      },
    })
    run.at(0)
    await turn()
    expect(numberOf(run.at(0.5))).toBe(0)
    expect(numberOf(run.at(1.5))).toBe(0)
  })
})
