import { type Analysis, type Arrangement, methods, openRendering, type SoundSource, silence } from '../core'
import { createRandom } from '../core/dsp/random'
import { toWire } from '../host/errorWire'
import { type Arranger, type Click, createArranger, type MixSounds } from './arranger'
import { createDepth } from './depth'
import { createLaneMixer, type HandOver, type LaneMixer, type Program } from './laneMixer'
import type { ClickTrack } from './metronome'
import type { AuditionStart } from './overdub'
import { createOverdub, type Overdub } from './overdub'
import type { MixSound, PlayerMessage, PlayerReport } from './playerProtocol'
import { fillOf, MARK_FRAMES, openRing, RING_FRAMES, type Ring, Slot } from './ring'
import { openSound } from './sound'
import { createSoundRegistry } from './soundRegistry'

/** before a lane begins that has to be prepared: its first moment may take longer than what is usually written ahead lasts */
const SLOW_AHEAD_SECONDS = 0.3
/** the timeline is written further ahead than a lane: many voices take longer to read */
const MIX_AHEAD_SECONDS = 0.3
const STOP_FADE_BLOCKS = 2
/** a change is laid over what is written where there is so much more than its fade: it takes a while to make */
const LEAST_SPARE_FRAMES = 1024
const WARM_UP_PAUSE_MS = 1200

const left = new Float32Array(MARK_FRAMES)
const right = new Float32Array(MARK_FRAMES)
let ring: Ring | undefined
let source: SoundSource | undefined
let analysis: Analysis = {}
let program: Program | undefined
let mixer: LaneMixer | undefined
let overdub: Overdub | undefined
/** the timeline, while it plays: then no lane does */
let arranger: Arranger | undefined
let arrangement: Arrangement | undefined
let mixClick: Click = { level: 1, on: false }
let mixSounds: Readonly<Record<string, MixSound>> = {}
let hasJump = false
const registry = createSoundRegistry()
const sounds: MixSounds = {
  sound(id) {
    const own = mixSounds[id]
    return own && registry.open(own.key, own.sound)
  },
  known: (id) => mixSounds[id]?.analysis ?? {},
}
let click: ClickTrack | undefined
/** of the output, Hz */
let rate = 48_000
const depth = createDepth()
/** written since it was asked how far ahead that is to be, frames */
let writtenSince = 0
let turn = 0
let pumping = false

const report = (message: PlayerReport) => postMessage(message)

self.onmessage = ({ data }: MessageEvent<PlayerMessage>) => {
  try {
    handle(data)
  } catch (error) {
    fail(error)
  }
}

function handle(message: PlayerMessage) {
  if (message.type === 'open') {
    ring = openRing(message.ring)
    setTimeout(() => void warmUp(), WARM_UP_PAUSE_MS)
  } else if (message.type === 'source') {
    mixer = undefined
    source = openSound(message.sound)
    analysis = {}
  } else if (message.type === 'analysis') {
    analysis = message.analysis
    mixer?.setAnalysis(analysis)
  } else if (message.type === 'program') {
    program = message.program
    mixer?.setProgram(program)
    // meanwhile what is heard goes on
    if (mixer?.waits) fill(SLOW_AHEAD_SECONDS)
  } else if (message.type === 'play') {
    turn = message.turn
    start(message.sourceFrame)
  } else if (message.type === 'seek') mixer?.seek(message.sourceFrame)
  else if (message.type === 'click') {
    click = message.track
    overdub?.setClick(click)
  } else if (message.type === 'audition') audition(message.start, message.outputRate)
  else if (message.type === 'stopAudition') overdub?.stop()
  else if (message.type === 'mixSounds') {
    mixSounds = message.sounds
    registry.keepOnly(new Set(Object.values(mixSounds).map(({ key }) => key)))
  } else if (message.type === 'arrangement') {
    arrangement = message.arrangement
    mixClick = message.click
    arranger?.setArrangement(arrangement)
    arranger?.setClick(mixClick)
  } else if (message.type === 'playMix') {
    turn = message.turn
    startMix(message.beat, message.leadBeats, message.outputRate)
  } else if (message.type === 'goTo') arranger?.goTo(message.beat)
  else if (message.type === 'jump') {
    arranger?.setJump(message.jump)
    hasJump = message.jump !== undefined
  } else stop()
}

/** Begin to write the ring afresh. */
function reset(at: Ring, outputRate: number) {
  rate = outputRate
  writtenSince = 0
  Atomics.store(at.control, Slot.running, 0)
  Atomics.store(at.control, Slot.read, 0)
  Atomics.store(at.control, Slot.write, 0)
  Atomics.store(at.control, Slot.closing, 0)
  Atomics.store(at.control, Slot.rate, outputRate)
  overdub = createOverdub(at, outputRate)
  overdub.setClick(click)
}

function startMix(beat: number, leadBeats: number, outputRate: number) {
  if (!ring || !arrangement) return
  reset(ring, outputRate)
  mixer = undefined
  hasJump = false
  const own = overdub as Overdub
  own.setClick(undefined)
  arranger = createArranger(own, outputRate, sounds, arrangement, { beat, leadBeats, click: mixClick })
  fill()
  Atomics.store(ring.control, Slot.running, 1)
  void pump()
}

function start(sourceFrame: number) {
  if (!ring || !source || !program) return
  arranger = undefined
  reset(ring, source.sampleRate)
  mixer = createLaneMixer(source, program, sourceFrame, analysis, handOver)
  fill()
  Atomics.store(ring.control, Slot.running, 1)
  void pump()
}

function audition(start: AuditionStart, outputRate: number) {
  if (!ring) return
  const plays = mixer !== undefined || arranger !== undefined
  const writing = overdub && (plays || overdub.sounds)
  if (overdub && writing) {
    overdub.audition(start)
    if (!plays) overdub.beginWaiting()
    return
  }
  reset(ring, outputRate)
  // nothing plays that it could wait for
  overdub?.audition({ order: start.order, at: undefined })
  fill()
  Atomics.store(ring.control, Slot.running, 1)
  void pump()
}

function stop() {
  if (arranger) {
    arranger.stop()
    close()
  }
  if (!ring || !mixer || !overdub) return
  const fade = STOP_FADE_BLOCKS * MARK_FRAMES
  // there has to be something that fades
  while (overdub.changeable().frames < fade) {
    const mark = mixer.read(left, right)
    overdub.write(left, right, mark, mark)
  }
  // what is written further ahead is not waited for
  overdub.replace(overdub.changeable().frames, fade, () => -1)
  close()
}

/** Nothing plays any more. What is written plays out; running dry is no underrun once no audition sounds either. */
function close() {
  mixer = undefined
  arranger = undefined
  overdub?.beginWaiting()
  if (ring && !overdub?.sounds) Atomics.store(ring.control, Slot.closing, 1)
}

function fail(error: unknown) {
  close()
  report({ type: 'failed', error: toWire(error), turn })
}

/** How far ahead is to be written, by what is left of it. */
function aheadSeconds(at: Ring): number {
  // before the first block has been heard, nothing can have run dry
  const begun = Atomics.load(at.control, Slot.read) !== 0
  const seconds = depth.seconds(begun ? fillOf(at) / rate : undefined, writtenSince / rate)
  writtenSince = 0
  return seconds
}

/** Write until the ring holds what it should, and so many seconds at least. */
function fill(atLeastSeconds = 0) {
  if (!ring || !overdub) return
  // strands are changed where they are written: however far ahead that is, it is heard as soon
  const seconds = Math.max(atLeastSeconds, arranger ? MIX_AHEAD_SECONDS : 0, aheadSeconds(ring))
  const wanted = MARK_FRAMES * Math.ceil((seconds * rate) / MARK_FRAMES)
  const aheadFrames = Math.min(wanted, RING_FRAMES - MARK_FRAMES)
  while ((mixer || arranger || overdub.sounds) && fillOf(ring) < aheadFrames) {
    writtenSince += MARK_FRAMES
    if (arranger) {
      arranger.block()
      if (arranger.ended) end(ring)
      continue
    }
    if (!mixer) {
      left.fill(0)
      right.fill(0)
      overdub.write(left, right, -1, -1)
      if (!overdub.sounds) close()
      continue
    }
    const mark = mixer.read(left, right)
    const next = mixer.sourceFrame()
    overdub.write(left, right, mark, next)
    if (mixer.ended) end(ring)
  }
}

/** All is written: told when it has been heard. */
function end(at: Ring) {
  close()
  const mine = turn
  setTimeout(() => report({ type: 'ended', at: 0, turn: mine }), 1000 * (fillOf(at) / rate))
}

/**
 * A lane that takes over is laid over what is written already: it is heard when that begins to be, and not behind it. Not where less is
 * written than the way over takes.
 */
const handOver: HandOver = {
  place: () => layable()?.sourceFrame,
  lay(seekTo, seconds) {
    const over = layable()
    const fadeFrames = Math.round(seconds * rate)
    if (!ring || !mixer || !overdub || !over || over.frames < fadeFrames + LEAST_SPARE_FRAMES) return false
    mixer.restartAt(seekTo ?? over.sourceFrame)
    overdub.replace(over.frames, fadeFrames, mixer.read, mixer.sourceFrame)
    if (mixer.ended) end(ring)
    return true
  },
}

/** What is written and may be laid over, from its first source frame on. */
function layable() {
  const over = overdub?.changeable()
  return over && over.sourceFrame >= 0 ? over : undefined
}

/** work for a lane on its way is done while at least this much is written ahead */
const SPARE_SECONDS = 0.05

/** In spare time, do what a lane needs that is on its way; true while there is more to do. */
function getReady(at: Ring): boolean {
  let more = mixer !== undefined || arranger !== undefined
  while (more && fillOf(at) > SPARE_SECONDS * rate) more = (mixer ?? arranger)?.work() ?? false
  if (hasJump && !arranger?.jump) {
    hasJump = false
    report({ type: 'jumped' })
  }
  return more
}

async function pump() {
  if (pumping) return
  pumping = true
  try {
    while (ring && (mixer || arranger || overdub?.sounds)) {
      const seen = Atomics.load(ring.control, Slot.read)
      fill()
      if (getReady(ring)) {
        await nextTurn()
        continue
      }
      if (!mixer && !arranger && !overdub?.sounds) break
      // wake when the worklet has read on; meanwhile messages are heard
      const wait = Atomics.waitAsync(ring.control, Slot.read, seen, 20)
      if (wait.async) await wait.value
      await nextTurn()
    }
  } catch (error) {
    fail(error)
  } finally {
    pumping = false
  }
}

// a turn of the event loop, so that messages get in even when there is always more to write
let wake: () => void = () => {}
const loop = new MessageChannel()
loop.port1.onmessage = () => wake()
function nextTurn(): Promise<void> {
  return new Promise((resolve) => {
    wake = resolve
    loop.port2.postMessage(null)
  })
}

/**
 * Run every method once over a little noise while nothing plays: compiled code and tables are then there when a switch
 * has 80 ms to be made in.
 */
async function warmUp() {
  const random = createRandom(1)
  const channels = silence(2, 12_000)
  for (const channel of channels) for (let i = 0; i < channel.length; i++) channel[i] = 0.2 * (random() - 0.5)
  const noise = { sampleRate: 48_000, channels }
  const out = silence(2, 1024)
  for (const method of methods) {
    for (const pitchSemitones of [0, 3]) {
      const { voice, map } = openRendering(noise, {
        version: 1,
        stretch: 1.25,
        pitchSemitones,
        formants: 'move',
        methodId: method.id,
        settings: {},
        seed: 1,
      })
      for (let frame = 0; frame + 1024 < map.outputFrames; frame += 1024) {
        if (mixer || arranger || overdub?.sounds) return
        voice.read(frame, out)
        await new Promise<void>((resolve) => setTimeout(resolve, 0))
      }
    }
  }
}
