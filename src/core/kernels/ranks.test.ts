import { describe, expect, it } from 'vitest'
import { slidingMedianInto } from '../dsp/median'
import { createRandom } from '../dsp/random'
import { type Ranks, ranksKernel, ranksTwin, type SlidingMedian, slidingMedianKernel } from './ranks'
import { LEAST, MOST, PLACE_BYTES, STEP, TAKES, type WindowsProgram, windowsProgram } from './sortingNetwork'

const random = createRandom(3)
const sorted = (values: readonly number[]) => [...values].sort((a, b) => a - b)

/** What the program does to numbers, one of each row. */
function runProgram({ code, places }: WindowsProgram, rows: readonly number[]): number[] {
  const at = Array<number>(places).fill(Number.NaN)
  at[LEAST] = Number.NEGATIVE_INFINITY
  at[MOST] = Number.POSITIVE_INFINITY
  const results: number[] = []
  let next = 0
  while (code[next] !== STEP.end) {
    const [kind, count] = code.subarray(next, next + 2) as unknown as [keyof typeof TAKES, number]
    const [takes, gives] = TAKES[kind]
    next += 2
    for (let n = 0; n < count; n++) {
      const asked = [...code.subarray(next, next + takes)]
      next += takes
      const row = (i: number) => rows[asked[i] as number] as number
      const place = (i: number) => at[(asked[i] as number) / PLACE_BYTES] as number
      const first = asked[0] as number
      if (kind === STEP.middle) {
        const shared = [0, 1, 2, 3].map(place)
        expect(shared).toEqual(sorted(shared))
        const own = sorted([4, 5, 6].map(row))
        results[code[next++] as number] = Math.min(
          ...[shared[3], ...own.map((value, i) => Math.max(shared[2 - i] as number, value))].map(Number),
        )
      } else if (kind === STEP.second) {
        results[code[next++] as number] = sorted([place(0), place(1), row(2), row(3), row(4)])[1] as number
      } else {
        let values =
          kind === STEP.compare || kind === STEP.merge || kind === STEP.centre
            ? asked.map((_, i) => place(i))
            : rows.slice(first, first + gives)
        if (kind === STEP.merge) {
          expect(values.slice(0, 4)).toEqual(sorted(values.slice(0, 4)))
          expect(values.slice(4)).toEqual(sorted(values.slice(4)))
        }
        if (kind === STEP.centre) {
          expect(values.slice(0, 8)).toEqual(sorted(values.slice(0, 8)))
          expect(values.slice(8)).toEqual(sorted(values.slice(8)))
          values = sorted(values).slice(6, 10)
        }
        for (const value of sorted(values)) at[(code[next++] as number) / PLACE_BYTES] = value
        expect(values).toHaveLength(gives)
      }
    }
  }
  return results
}

describe('a program for windows', () => {
  it('finds what it promises to, for any width and number of windows, ties and all', () => {
    for (let width = 7; width <= 49; width += width < 21 ? 2 : 14) {
      for (const groups of [1, 2, 5]) {
        const program = windowsProgram(width, groups, true)
        for (const levels of [3, 1e9]) {
          const rows = Array.from({ length: width + 4 * groups - 1 }, () => Math.floor(levels * random()))
          const windows = Array.from({ length: 4 * groups }, (_, n) => sorted(rows.slice(n, n + width)))
          expect(runProgram(program, rows)).toEqual([
            ...windows.map((window) => window[width >> 1]),
            ...windows.map((window) => window[1]),
          ])
        }
      }
    }
  })
})

describe('the rank kernel', () => {
  it('finds what sorting finds, and so does its twin, for any count of rows and columns, ties and all', () => {
    for (const count of [7, 11, 17, 19, 31]) {
      for (const columns of [1, 16, 53]) {
        const rows = Array.from({ length: count + 7 }, () =>
          Float32Array.from({ length: columns }, () => (columns === 53 ? Math.floor(9 * random()) : random())),
        )
        for (const ranks of [ranksKernel(count, columns) as Ranks, ranksTwin(count, columns)]) {
          const eight = () => Array.from({ length: 8 }, () => new Float32Array(columns))
          const [middle, second, alone] = [eight(), eight(), eight()] as const
          ranks(rows, middle, second)
          ranks(rows, alone)
          expect(alone).toEqual(middle)
          for (let n = 0; n < 8; n++) {
            for (let k = 0; k < columns; k++) {
              const window = sorted(rows.slice(n, n + count).map((row) => row[k] as number))
              expect([second[n]?.[k], middle[n]?.[k]]).toEqual([window[1], window[count >> 1]])
            }
          }
        }
      }
    }
  })

  it('is not asked for more than it has room for, nor for windows that have no middle', () => {
    expect(ranksKernel(8, 16)).toBeUndefined()
    expect(ranksKernel(21, 1 << 14)).toBeUndefined()
    expect(slidingMedianKernel(1 << 15, 8)).toBeUndefined()
    expect(slidingMedianKernel(16, 8)).toBeUndefined()
  })
})

describe('the sliding median kernel', () => {
  it('finds what its twin finds, to the ends, for any length and reach, one after another in the same memory', () => {
    for (const [length, reach] of [
      [17, 8],
      [64, 3],
      [257, 6],
      [2049, 8],
      [2049, 15],
      [4097, 23],
    ] as const) {
      const own = slidingMedianKernel(length, reach) as SlidingMedian
      for (const levels of [5, 1e9]) {
        const row = Float32Array.from({ length }, () => Math.floor(levels * random()))
        const expected = new Float32Array(length)
        slidingMedianInto(expected, row, reach)
        const found = new Float32Array(length)
        own(found, row)
        expect(found).toEqual(expected)
        own(row, row)
        expect(row).toEqual(expected)
      }
    }
  })
})
