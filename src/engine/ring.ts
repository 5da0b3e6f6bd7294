/**
 * The shared memory between the worker that makes sound, the worklet that plays it, and the page that shows it.
 *
 * One writer (the player worker) and one reader (the worklet). Counters grow for ever and wrap at 2³²; differences are
 * taken as whole numbers, so the wrap does not show. `marks` says for each block of the ring which source frame it
 * holds; `monitor` keeps the last samples that really went to the output, for meters and for proof.
 */
const CHANNELS = 2
/** frames per mark, and the unit in which the ring is written */
export const MARK_FRAMES = 128
export const RING_FRAMES = 32_768
const MONITOR_FRAMES = 2 ** 20

export const Slot = {
  read: 0,
  write: 1,
  /** quanta that found less than they needed */
  underruns: 2,
  /** 1 while the worklet is to read */
  running: 3,
  /** 1 once the writer is done: running dry is then no underrun */
  closing: 4,
  /** frames written to the monitor so far */
  monitored: 5,
  /** frames a second of what is written */
  rate: 6,
} as const

export interface RingMemory {
  readonly control: SharedArrayBuffer
  readonly samples: SharedArrayBuffer
  readonly marks: SharedArrayBuffer
  readonly monitor: SharedArrayBuffer
}

export interface Ring {
  readonly control: Int32Array
  readonly samples: Float32Array
  readonly marks: Float64Array
  readonly monitor: Float32Array
}

export function createRingMemory(): RingMemory {
  return {
    control: new SharedArrayBuffer(4 * Object.keys(Slot).length),
    samples: new SharedArrayBuffer(4 * CHANNELS * RING_FRAMES),
    marks: new SharedArrayBuffer(8 * (RING_FRAMES / MARK_FRAMES)),
    monitor: new SharedArrayBuffer(4 * CHANNELS * MONITOR_FRAMES),
  }
}

export function openRing(memory: RingMemory): Ring {
  return {
    control: new Int32Array(memory.control),
    samples: new Float32Array(memory.samples),
    marks: new Float64Array(memory.marks),
    monitor: new Float32Array(memory.monitor),
  }
}

/** Frames written and not yet read. */
export function fillOf(ring: Pick<Ring, 'control'>): number {
  return (Atomics.load(ring.control, Slot.write) - Atomics.load(ring.control, Slot.read)) | 0
}

/** so little left is soon played */
const LOW_SECONDS = 0.04

/** Whether sound plays and little of it is written ahead: then whatever else is done can wait. */
export function isLow({ control }: Pick<Ring, 'control'>): boolean {
  const plays = Atomics.load(control, Slot.running) === 1 && Atomics.load(control, Slot.closing) === 0
  return plays && fillOf({ control }) < LOW_SECONDS * Atomics.load(control, Slot.rate)
}

/** Write one block of `MARK_FRAMES` frames, with the source frame at its start. The caller has seen that it fits. */
export function writeBlock(ring: Ring, left: Float32Array, right: Float32Array, sourceFrame: number): void {
  const write = Atomics.load(ring.control, Slot.write)
  const base = (write >>> 0) % RING_FRAMES
  for (let i = 0; i < MARK_FRAMES; i++) {
    ring.samples[2 * (base + i)] = left[i] as number
    ring.samples[2 * (base + i) + 1] = right[i] as number
  }
  ring.marks[base / MARK_FRAMES] = sourceFrame
  Atomics.store(ring.control, Slot.write, (write + MARK_FRAMES) | 0)
}

/**
 * Play into `left` and `right`, as the worklet does for each quantum: what is there is played, what is missing is
 * silence and counted. No allocation.
 */
export function playBlock(ring: Ring, left: Float32Array, right: Float32Array): void {
  const { control, samples, monitor } = ring
  const frames = left.length
  let have = 0
  if (Atomics.load(control, Slot.running) === 1) {
    const read = Atomics.load(control, Slot.read)
    have = Math.min(frames, (Atomics.load(control, Slot.write) - read) | 0)
    for (let i = 0; i < have; i++) {
      const at = ((read + i) >>> 0) % RING_FRAMES
      left[i] = samples[2 * at] as number
      right[i] = samples[2 * at + 1] as number
    }
    if (have < frames && Atomics.load(control, Slot.closing) === 0) Atomics.add(control, Slot.underruns, 1)
    if (have > 0) {
      Atomics.store(control, Slot.read, (read + have) | 0)
      Atomics.notify(control, Slot.read)
    }
  }
  for (let i = have; i < frames; i++) {
    left[i] = 0
    right[i] = 0
  }
  const monitored = Atomics.load(control, Slot.monitored)
  for (let i = 0; i < frames; i++) {
    const at = ((monitored + i) >>> 0) % MONITOR_FRAMES
    monitor[2 * at] = left[i] as number
    monitor[2 * at + 1] = right[i] as number
  }
  Atomics.store(control, Slot.monitored, (monitored + frames) | 0)
}

/** Where what plays is now, as its marks count, or undefined when nothing waits in the ring. */
export function markHeard(ring: Ring): number | undefined {
  if (fillOf(ring) <= 0) return undefined
  const read = Atomics.load(ring.control, Slot.read) >>> 0
  return ring.marks[Math.floor((read % RING_FRAMES) / MARK_FRAMES)]
}

/** The last `frames` frames that went to the output, oldest first. Shape: left and right, `[frames]`. */
export function lastHeard(ring: Ring, frames: number): [Float32Array, Float32Array] {
  const end = Atomics.load(ring.control, Slot.monitored) >>> 0
  const count = Math.min(frames, MONITOR_FRAMES, end)
  const left = new Float32Array(count)
  const right = new Float32Array(count)
  for (let i = 0; i < count; i++) {
    const at = (end - count + i) % MONITOR_FRAMES
    left[i] = ring.monitor[2 * at] as number
    right[i] = ring.monitor[2 * at + 1] as number
  }
  return [left, right]
}
