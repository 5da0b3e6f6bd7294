import { type Analysis, type Arrangement, methods, openRendering, type SoundSource, silence } from '../core'
import { createRandom } from '../core/dsp/random'
import { toWire } from '../host/errorWire'
import { type Arranger, type Click, createArranger, type MixSounds } from './arranger'
import { createDepth } from './depth'
import { createHandStrand, type HandStrand } from './handStrand'
import { createInstruments } from './instruments'
import { createLaneMixer, type HandOver, type LaneMixer, type Program } from './laneMixer'
import type { ClickTrack } from './metronome'
import { createNotes, type Notes } from './notes'
import type { AuditionStart } from './overdub'
import { createOverdub, type Overdub } from './overdub'
import type { HandEvent, MixSound, PlayerMessage, PlayerReport, RoundOrder } from './playerProtocol'
import { fillOf, MARK_FRAMES, openRing, RING_FRAMES, type Ring, Slot } from './ring'
import { openSound } from './sound'
import { createSoundRegistry } from './soundRegistry'
import { createRoom } from './strands'

/** before a lane begins that has to be prepared: its first moment may take longer than what is usually written ahead lasts */
const SLOW_AHEAD_SECONDS = 0.3
/** work for a lane on its way is done while at least this much is written ahead */
const SPARE_SECONDS = 0.05
/** many voices take longer to read; strands are changed where they are written, so that a change is heard as soon */
const MIX_AHEAD_SECONDS = 0.3
const MIX_SPARE_SECONDS = 0.15
/** while instruments are got ready, in steps that may take long */
const BUSY_AHEAD_SECONDS = 0.4
const BUSY_SPARE_SECONDS = 0.25
/** so many notes at once are written further ahead: a new one takes a little longer to be read, and none runs dry */
const MANY_NOTES = 4
const DENSE_AHEAD_SECONDS = 0.25
const MOST_NOTES = 16
const MOST_AHEAD_SECONDS = 0.5
/** beside what plays there is less of it */
const INSTRUMENT_SPARE_SECONDS = 0.08
const STOP_FADE_BLOCKS = 2
/** a change is laid over what is written where there is so much more than its fade: it takes a while to make */
const LEAST_SPARE_FRAMES = 1024
const WARM_UP_PAUSE_MS = 1200
/** beats that a round can go on for */
const MOST_BEATS = 20_000

const left = new Float32Array(MARK_FRAMES)
const right = new Float32Array(MARK_FRAMES)
let ring: Ring | undefined
let source: SoundSource | undefined
let analysis: Analysis = {}
let program: Program | undefined
let overdub: Overdub | undefined
/** what is learned of the output holds for all that is played */
const room = createRoom(() => report({ type: 'late' }))

/** What plays: a lane of the source, or the timeline. */
interface Lead {
  /** write the next block */
  block(): void
  /** do a little in spare time; false where nothing is to be done */
  work(): boolean
  /** fade away */
  stop(): void
  readonly ended: boolean
  /** seconds to be written ahead at least, and so many of them that there is time to spare */
  readonly ahead: number
  readonly spare: number
}
let lead: Lead | undefined
/** the one or the other of what plays, by itself */
let mixer: LaneMixer | undefined
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
const instruments = createInstruments({
  onReady: (ids) => report({ type: 'ready', ids }),
  onUnplayable: (id, error) => report({ type: 'unplayable', id, error: toWire(error) }),
})
let notes: Notes | undefined
let hand: HandStrand | undefined
let click: ClickTrack | undefined
/** a round that goes: where its lead begins, frames of what is written */
let round:
  | { readonly first: number; readonly beatFrames: number; readonly begins: number; readonly frames: number }
  | undefined
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
    if (mixer) close()
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
    if (mixer) overdub?.setClick(click)
  } else if (message.type === 'audition') audition(message.start, message.outputRate)
  else if (message.type === 'stopAudition') overdub?.stop()
  else if (message.type === 'mixSounds') {
    const before = mixSounds
    mixSounds = Object.fromEntries(
      Object.entries(message.sounds).flatMap(([id, own]) => {
        const sound = own === 'as before' ? before[id] : own
        return sound ? [[id, sound]] : []
      }),
    )
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
  } else if (message.type === 'instruments') {
    instruments.set(message.sounds, message.instruments)
    void pump()
  } else if (message.type === 'stand') {
    turn = message.turn
    stand(message.outputRate)
  } else if (message.type === 'notes') {
    const noted = notes?.play(message.events) ?? []
    if (noted.length > 0) report({ type: 'noted', events: noted })
  } else if (message.type === 'hush') notes?.hush()
  else if (message.type === 'round') goRound(message.order)
  else if (message.type === 'roundNotes') {
    if (round) notes?.setRound({ ...round, notes: message.notes })
  } else if (message.type === 'hand') leadByHand(message.event)
  else stop()
}

/** the hold that the hand is at */
let heldNow = 0

function leadByHand(event: HandEvent) {
  const led = (kind: HandEvent['kind'], frame: number | undefined, place = 0, speed = 0) => {
    if (frame !== undefined) report({ type: 'led', event: { hold: heldNow, kind, frame, place, speed } })
  }
  if (event.kind === 'move') {
    led('move', hand?.move(event.place, event.speed), event.place, event.speed)
    return
  }
  // there is one hand: what it held before is let go
  led('let go', hand?.letGo())
  const audio = event.kind === 'hold' ? instruments.block(event.sound, event.shaping) : undefined
  if (event.kind !== 'hold' || !audio) return
  heldNow = event.hold
  const { order, gain, place, speed } = event
  led('hold', hand?.hold(audio, order, gain, place, speed), place, speed)
}

/** Write silence, over which notes are heard at once. */
function stand(outputRate: number) {
  if (!ring || lead) return
  begin(ring, outputRate, (over) => ({
    block() {
      left.fill(0)
      right.fill(0)
      const at = over.strands.written
      over.write(left, right, roundBeat(at), roundBeat(at + MARK_FRAMES))
    },
    work: () => false,
    stop() {},
    ended: false,
    // notes are laid over what is written, however far that is; those that come round are opened where it ends
    get ahead() {
      if (instruments.busy || round) return BUSY_AHEAD_SECONDS
      const sounding = notes?.sounding ?? 0
      return sounding >= MOST_NOTES ? MOST_AHEAD_SECONDS : sounding >= MANY_NOTES ? DENSE_AHEAD_SECONDS : 0
    },
    get spare() {
      return instruments.busy ? BUSY_SPARE_SECONDS : SPARE_SECONDS
    },
  }))
}

/** The beat of the round at a written frame, that of its lead being the first; −1 where none goes. */
const roundBeat = (frame: number) => (round && frame >= round.first ? (frame - round.first) / round.beatFrames : -1)

function goRound(order: RoundOrder | undefined) {
  if (!overdub || !lead || mixer || arranger) return
  notes?.setRound(undefined)
  round = undefined
  if (order) {
    const { bpm, beats, beatsPerBar, clickGain } = order
    const beatFrames = (60 / bpm) * rate
    const first = overdub.strands.written
    round = { first, beatFrames, begins: first + beatsPerBar * beatFrames, frames: beats * beatFrames }
    notes?.setRound({ ...round, notes: [] })
    overdub.setClick({
      frames: Float64Array.from({ length: MOST_BEATS }, (_, n) => n),
      kinds: Uint8Array.from({ length: MOST_BEATS }, (_, n) => (n % beatsPerBar === 0 ? 1 : 0)),
      gain: clickGain,
    })
    report({ type: 'round', begins: round.begins, frames: round.frames })
  } else overdub.setClick(undefined)
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
  overdub = createOverdub(at, outputRate, room)
  notes = createNotes(overdub, outputRate, instruments.get, (events) => report({ type: 'noted', events }))
  round = undefined
  hand = createHandStrand(overdub, outputRate)
}

/** Begin to write what plays, or an audition by itself. */
function begin(at: Ring, outputRate: number, make: (own: Overdub) => Lead | undefined) {
  mixer = undefined
  arranger = undefined
  reset(at, outputRate)
  lead = make(overdub as Overdub)
  fill()
  Atomics.store(at.control, Slot.running, 1)
  void pump()
}

function start(sourceFrame: number) {
  if (!ring || !source || !program) return
  const own = createLaneMixer(source, program, sourceFrame, analysis, handOver)
  begin(ring, source.sampleRate, (over) => {
    over.setClick(click)
    mixer = own
    return {
      block() {
        const mark = own.read(left, right)
        over.write(left, right, mark, own.sourceFrame())
      },
      work: own.work,
      stop() {
        const fade = STOP_FADE_BLOCKS * MARK_FRAMES
        // there has to be something that fades
        while (over.changeable().frames < fade) this.block()
        // what is written further ahead is not waited for
        over.replace(over.changeable().frames, fade, () => -1)
      },
      get ended() {
        return own.ended
      },
      ahead: 0,
      spare: SPARE_SECONDS,
    }
  })
}

function startMix(beat: number, leadBeats: number, outputRate: number) {
  if (!ring || !arrangement) return
  const first = arrangement
  hasJump = false
  begin(ring, outputRate, (over) => {
    const own = createArranger(over, outputRate, sounds, first, { beat, leadBeats, click: mixClick })
    arranger = own
    return Object.assign(own, { ahead: MIX_AHEAD_SECONDS, spare: MIX_SPARE_SECONDS })
  })
}

function audition(start: AuditionStart, outputRate: number) {
  if (!ring) return
  const writing = overdub && (lead || overdub.sounds)
  if (overdub && writing) {
    overdub.audition(start)
    if (!lead) overdub.beginWaiting()
    return
  }
  begin(ring, outputRate, (over) => {
    // nothing plays that it could wait for
    over.audition({ order: start.order, at: undefined })
    return undefined
  })
}

function stop() {
  if (!lead) return
  lead.stop()
  close()
}

/** Nothing plays any more. What is written plays out; running dry is no underrun once no audition sounds either. */
function close() {
  lead = undefined
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
  const seconds = Math.max(atLeastSeconds, lead?.ahead ?? 0, aheadSeconds(ring))
  const wanted = MARK_FRAMES * Math.ceil((seconds * rate) / MARK_FRAMES)
  const aheadFrames = Math.min(wanted, RING_FRAMES - MARK_FRAMES)
  while ((lead || overdub.sounds) && fillOf(ring) < aheadFrames) {
    writtenSince += MARK_FRAMES
    if (lead) {
      lead.block()
      if (lead.ended) end(ring)
      continue
    }
    left.fill(0)
    right.fill(0)
    overdub.write(left, right, -1, -1)
    if (!overdub.sounds) close()
  }
}

/** All is written: told when it has been heard. */
function end(at: Ring) {
  close()
  const mine = turn
  setTimeout(() => report({ type: 'ended', turn: mine }), 1000 * (fillOf(at) / rate))
}

/**
 * A lane that takes over is laid over what is written already: it is heard when that begins to be, and not behind it.
 * It comes behind what is written where less of that is left than the way over takes.
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

/** In spare time, do what is needed before long; true while there is more to do. */
function getReady(at: Ring): boolean {
  let more = lead !== undefined
  while (more && lead && fillOf(at) > lead.spare * rate) more = lead.work()
  // of instruments a step may take longer
  if (lead && !more && instruments.busy) {
    if (fillOf(at) > Math.max(lead.spare, INSTRUMENT_SPARE_SECONDS) * rate) more = instruments.work()
  }
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
    // nothing plays: instruments are got ready all the same
    while (ring && !lead && !overdub?.sounds && instruments.work()) await nextTurn()
    while (ring && (lead || overdub?.sounds)) {
      const seen = Atomics.load(ring.control, Slot.read)
      fill()
      if (getReady(ring)) {
        await nextTurn()
        continue
      }
      if (!lead && !overdub?.sounds) break
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
        if (lead || overdub?.sounds) return
        voice.read(frame, out)
        await new Promise<void>((resolve) => setTimeout(resolve, 0))
      }
    }
  }
}
