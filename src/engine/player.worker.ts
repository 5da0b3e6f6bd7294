import type { AudioBlock } from '../core'
import { toWire } from '../host/errorWire'
import { createLaneMixer, type LaneMixer, type Program } from './laneMixer'
import type { PlayerMessage, PlayerReport } from './playerProtocol'
import { fillOf, MARK_FRAMES, openRing, type Ring, Slot, writeBlock } from './ring'

/**
 * Renders ahead of the worklet: enough that a busy machine does not run dry, little enough that a change is heard soon.
 */
const AHEAD_SECONDS = 0.075
const STOP_FADE_BLOCKS = 2

const left = new Float32Array(MARK_FRAMES)
const right = new Float32Array(MARK_FRAMES)
let ring: Ring | undefined
let aheadFrames = 0
let source: AudioBlock | undefined
let program: Program | undefined
let mixer: LaneMixer | undefined
let pumping = false

const report = (message: PlayerReport) => postMessage(message)

onmessage = ({ data }: MessageEvent<PlayerMessage>) => {
  try {
    handle(data)
  } catch (error) {
    fail(error)
  }
}

function handle(message: PlayerMessage) {
  if (message.type === 'open') {
    ring = openRing(message.ring)
    aheadFrames = MARK_FRAMES * Math.ceil((AHEAD_SECONDS * message.sampleRate) / MARK_FRAMES)
  } else if (message.type === 'source') {
    mixer = undefined
    source = message.audio
  } else if (message.type === 'program') {
    program = message.program
    mixer?.setProgram(program)
  } else if (message.type === 'play') start(message.sourceFrame)
  else if (message.type === 'seek') mixer?.seek(message.sourceFrame)
  else stop()
}

function start(sourceFrame: number) {
  if (!ring || !source || !program) return
  Atomics.store(ring.control, Slot.running, 0)
  Atomics.store(ring.control, Slot.read, 0)
  Atomics.store(ring.control, Slot.write, 0)
  Atomics.store(ring.control, Slot.closing, 0)
  mixer = createLaneMixer(source, program, sourceFrame)
  fill()
  Atomics.store(ring.control, Slot.running, 1)
  void pump()
}

function stop() {
  if (!ring || !mixer) return
  const at = mixer.sourceFrame()
  for (let n = 0; n < STOP_FADE_BLOCKS; n++) {
    const mark = mixer.read(left, right)
    const whole = STOP_FADE_BLOCKS * MARK_FRAMES
    for (let i = 0; i < MARK_FRAMES; i++) {
      const fade = 1 - (n * MARK_FRAMES + i + 1) / whole
      left[i] = (left[i] as number) * fade
      right[i] = (right[i] as number) * fade
    }
    writeBlock(ring, left, right, mark)
  }
  close(at)
}

function close(sourceFrame: number) {
  mixer = undefined
  if (ring) Atomics.store(ring.control, Slot.closing, 1)
  report({ type: 'stopped', sourceFrame })
}

function fail(error: unknown) {
  report({ type: 'failed', error: toWire(error) })
  close(0)
}

/** Write until the ring holds what it should. */
function fill() {
  while (ring && mixer && fillOf(ring) < aheadFrames) {
    const mark = mixer.read(left, right)
    writeBlock(ring, left, right, mark)
    if (mixer.ended) close(0)
  }
}

async function pump() {
  if (pumping) return
  pumping = true
  try {
    while (mixer && ring) {
      const seen = Atomics.load(ring.control, Slot.read)
      fill()
      if (!mixer) break
      // wake when the worklet has read on; meanwhile messages are heard
      const wait = Atomics.waitAsync(ring.control, Slot.read, seen, 20)
      if (wait.async) await wait.value
      await new Promise<void>((resolve) => {
        wake = resolve
        turn.port2.postMessage(null)
      })
    }
  } catch (error) {
    fail(error)
  } finally {
    pumping = false
  }
}

// a turn of the event loop, so that messages get in even when there is always more to write
let wake: () => void = () => {}
const turn = new MessageChannel()
turn.port1.onmessage = () => wake()
