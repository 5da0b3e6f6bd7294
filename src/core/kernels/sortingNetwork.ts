/**
 * How medians of neighbouring windows over rows are found together, as a program for kernels/median.ts. Values lie in places,
 * each as wide as the rows are done at a time; rows and results are numbered.
 *
 * Shape  runs of equal steps, each led by its kind (`STEP`) and how many follow; a 0 ends. What a step takes and gives:
 * - pair, quad, six, eight: row; so many places. That row and those behind it, sorted.
 * - merge: 4 and 4 places, each four sorted; 8 places, sorted.
 * - centre: 8 and 8 places, each eight sorted; 4 places, the middle four of all.
 * - compare: 2 places; a place for the lesser and one for the greater.
 * - middle: 4 places of rising values, 3 rows; a result. The fourth value of all seven that the three rows' values are put among.
 * - second: 2 places, the lowest of what is shared, 3 rows; a result. The second lowest of all.
 * A place is named by the byte that it begins at. The first two hold less and more than any value: runs are filled up with them.
 */
export interface WindowsProgram {
  readonly code: Uint16Array
  /** places that are needed at once */
  readonly places: number
}

export const STEP = {
  end: 0,
  quad: 1,
  pair: 2,
  merge: 3,
  compare: 4,
  middle: 5,
  second: 6,
  centre: 7,
  six: 8,
  eight: 9,
} as const

/** how many numbers each kind of step takes, and behind them how many places it gives (`middle` and `second` give a result) */
export const TAKES = {
  1: [1, 4],
  2: [1, 2],
  3: [8, 8],
  4: [2, 2],
  5: [7, 0],
  6: [5, 0],
  7: [16, 4],
  8: [1, 6],
  9: [1, 8],
} as const

/** windows that are found together */
export const SHARED = 4

/** sixteen numbers */
export const PLACE_BYTES = 64

/** the values that fill runs up, and the numbers of their places */
export const [LEAST, MOST] = [0, 1]

/** a value that some step makes, by number: each is made once, whoever asks for it */
type Value = number

interface Step {
  readonly kind: keyof typeof TAKES
  readonly rows: readonly number[]
  readonly asks: readonly Value[]
  readonly gives: readonly Value[]
  readonly result?: number
}

/**
 * The program for `4 × groups` windows, one row apart, over `width + 4 × groups − 1` rows. Four neighbouring windows share
 * `width − 3` rows: these are sorted once, as runs of powers of two of which the next windows use most again, as far as their four
 * middle ones hang on it; each window puts its own three rows among these.
 * @param width  rows in a window, odd and at least 7.
 * @param second  whether the second lowest is wanted too: results are then medians, and behind all of them the second lowest.
 * Source  Batcher 1968, "Sorting networks and their applications" (odd-even merge, for any lengths).
 */
export function windowsProgram(width: number, groups: number, second: boolean): WindowsProgram {
  const steps: Step[] = []
  const levels = [0, 0]
  const made = new Map<string, readonly Value[]>()

  /** Make values by a step, unless they are made already. */
  function step(kind: Step['kind'], rows: readonly number[], asks: readonly Value[], count: number): readonly Value[] {
    const key = `${kind} ${rows} ${kind === STEP.compare ? [...asks].sort((a, b) => a - b) : asks}`
    let gives = made.get(key)
    if (!gives) {
      const level = 1 + Math.max(0, ...asks.map((value) => levels[value] as number))
      gives = Array.from({ length: count }, () => levels.push(level) - 1)
      made.set(key, gives)
      steps.push({ kind, rows, asks, gives })
    }
    return gives
  }

  const compare = (a: Value, b: Value) => step(STEP.compare, [], [a, b], 2) as readonly [low: Value, high: Value]

  function merge(a: readonly Value[], b: readonly Value[]): readonly Value[] {
    if (a.length === 0) return b
    if (b.length === 0) return a
    if (a.length === 1 && b.length === 1) return compare(a[0] as Value, b[0] as Value)
    if (a.length === 4 && b.length >= 2 && b.length <= 4)
      return step(STEP.merge, [], [...a, ...filledUp(b, 0, 4)], 8).slice(0, a.length + b.length)
    const firsts = merge(everySecond(a, 0), everySecond(b, 0))
    const seconds = merge(everySecond(a, 1), everySecond(b, 1))
    const all = [firsts[0] as Value]
    const paired = Math.min(seconds.length, firsts.length - 1)
    for (let i = 0; i < paired; i++) all.push(...compare(seconds[i] as Value, firsts[i + 1] as Value))
    return [...all, ...seconds.slice(paired), ...firsts.slice(paired + 1)]
  }

  /** Four values, of rank `rank` and up, of two sorted runs. */
  function fourOf(a: readonly Value[], b: readonly Value[], rank: number): readonly Value[] {
    if (b.length === 0) return a.slice(rank, rank + 4)
    if (a.length <= 8 && b.length <= 8) {
      // the middle of sixteen, of which so many are put before all
      const before = 6 - rank
      const ofA = Math.min(before, 8 - a.length)
      return step(STEP.centre, [], [...filledUp(a, ofA, 8), ...filledUp(b, before - ofA, 8)], 4)
    }
    // the odd-even merge, of which only so much is done: ranks 2i + 1 and 2i + 2 are those of seconds[i] and firsts[i + 1]
    const from = rank % 2 === 0 ? rank / 2 - 1 : (rank - 1) / 2
    const half = (parity: 0 | 1, wanted: number) => {
      const [ofA, ofB] = [everySecond(a, parity), everySecond(b, parity)]
      // four that hold the three wanted, as near the middle as may be
      const middle = (ofA.length + ofB.length) / 2 - 2
      const first = Math.max(wanted - 1, Math.min(wanted, Math.round(middle)))
      const four = fourOf(ofA, ofB, first)
      return (n: number) => four[n - first] as Value
    }
    const firsts = half(0, from + 1)
    const seconds = half(1, from)
    const all = Array.from({ length: rank % 2 === 0 ? 3 : 2 }, (_, n) =>
      compare(seconds(from + n), firsts(from + n + 1)),
    ).flat()
    return rank % 2 === 0 ? all.slice(1, 5) : all
  }

  /** An even count of rows from `start` on, sorted. */
  function run(start: number, count: number): readonly Value[] {
    const kind = { 2: STEP.pair, 4: STEP.quad, 6: STEP.six, 8: STEP.eight }[count]
    if (kind) return step(kind, [start], [], count)
    return merge(...runsOf(start, count))
  }

  /** A run in two parts: the first as long as a power of two may be. */
  function runsOf(start: number, count: number): readonly [readonly Value[], readonly Value[]] {
    let half = 4
    while (2 * half < count) half *= 2
    return half < count ? [run(start, half), run(start + half, count - half)] : [run(start, count), []]
  }

  /** The two lowest of two sorted runs. */
  function lowestOf(a: readonly Value[], b: readonly Value[]): readonly Value[] {
    if (b.length === 0) return a.slice(0, 2)
    const [lowest, other] = compare(a[0] as Value, b[0] as Value)
    return [lowest, compare(other, compare(a[1] as Value, b[1] as Value)[0])[0]]
  }

  const windows = SHARED * groups
  const ends: Step[] = []
  for (let group = 0; group < groups; group++) {
    const first = SHARED * group
    const shared = runsOf(first + SHARED - 1, width - SHARED + 1)
    const middle = fourOf(...shared, (width - 7) / 2)
    const lowest = second ? lowestOf(...shared) : []
    for (let n = 0; n < SHARED; n++) {
      const rows = [first, first + 1, first + 2, first + width, first + width + 1, first + width + 2].slice(n, n + 3)
      ends.push({ kind: STEP.middle, rows, asks: middle, gives: [], result: first + n })
      if (second) ends.push({ kind: STEP.second, rows, asks: lowest, gives: [], result: windows + first + n })
    }
  }
  return laidOut([...inLevels(neededFor(ends, steps), levels), ...ends])
}

const filledUp = (run: readonly Value[], before: number, length: number): readonly Value[] => [
  ...Array<Value>(before).fill(LEAST),
  ...run,
  ...Array<Value>(length - before - run.length).fill(MOST),
]

const everySecond = (values: readonly Value[], from: 0 | 1) => values.filter((_, i) => i % 2 === from)

function neededFor(ends: readonly Step[], steps: readonly Step[]): readonly Step[] {
  const needed = new Set(ends.flatMap(({ asks }) => asks))
  return [...steps]
    .reverse()
    .filter(({ asks, gives }) => {
      if (!gives.some((value) => needed.has(value))) return false
      for (const value of asks) needed.add(value)
      return true
    })
    .reverse()
}

/** In an order in which neighbours do not wait for one another, so that the processor can do several at once. */
function inLevels(steps: readonly Step[], levels: readonly number[]): readonly Step[] {
  const level = ({ gives }: Step) => levels[gives[0] as Value] as number
  return [...steps].sort((a, b) => level(a) - level(b) || a.kind - b.kind)
}

/** Give every value a place; places of values that nobody asks for any more are used again. */
function laidOut(steps: readonly Step[]): WindowsProgram {
  const lastAsked = new Map<Value, number>()
  steps.forEach(({ asks }, n) => {
    for (const value of asks) lastAsked.set(value, n)
  })
  for (const value of [LEAST, MOST]) lastAsked.set(value, Number.POSITIVE_INFINITY)
  const placeOf = new Map<Value, number>([LEAST, MOST].map((value) => [value, value]))
  const free: number[] = []
  let places = placeOf.size
  const code: number[] = []
  let counted = 0
  steps.forEach(({ kind, rows, asks, gives, result }, n) => {
    if (n === 0 || steps[n - 1]?.kind !== kind) {
      code.push(kind, 0)
      counted = code.length - 1
    }
    code[counted] = (code[counted] as number) + 1
    const from = asks.map((value) => PLACE_BYTES * (placeOf.get(value) as number))
    // all are read before anything is written
    for (const value of new Set(asks)) if (lastAsked.get(value) === n) free.push(placeOf.get(value) as number)
    const to = gives.map(() => free.pop() ?? places++)
    gives.forEach((value, i) => {
      placeOf.set(value, to[i] as number)
      if (!lastAsked.has(value)) free.push(to[i] as number)
    })
    code.push(...(kind === STEP.middle || kind === STEP.second ? [...from, ...rows] : [...rows, ...from]))
    code.push(...to.map((place) => PLACE_BYTES * place))
    if (result !== undefined) code.push(result)
  })
  return { places, code: Uint16Array.from([...code, STEP.end]) }
}
