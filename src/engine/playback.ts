import { type Analysis, AppError, type Arrangement, type PlayedNote } from '../core'
import { fromWire } from '../host/errorWire'
import type { Click, Jump } from './arranger'
import type { AuditionOrder } from './audition'
import type { Program } from './laneMixer'
import type { ClickTrack } from './metronome'
import type { NotedEvent, NoteEvent } from './notes'
import workletUrl from './player.worklet.ts?worker&url'
import type {
  GivenInstrument,
  HandEvent,
  LedEvent,
  MixSound,
  PlayerMessage,
  PlayerReport,
  RoundOrder,
} from './playerProtocol'
import { createRingMemory, lastHeard, markHeard, openRing, Slot } from './ring'
import type { Sound } from './sound'

/** What plays: a lane of the source, the timeline, or nothing but what is played by hand. */
export type Playing = 'lane' | 'mix' | 'hand'

export interface PlaybackEvents {
  onPlaying(playing: Playing | undefined): void
  /** a queued jump was made */
  onJumped(): void
  /** instruments that can be played now */
  onReady(ids: readonly string[]): void
  onNoted(events: readonly NotedEvent[]): void
  /** what the hand did came to be heard */
  onLed(event: LedEvent): void
  /** a round goes: where its first time begins and how long once round is, frames of what is written */
  onRound(round: { readonly begins: number; readonly frames: number }): void
  onError(error: unknown): void
}

/** what is stopped has faded away by then */
const FADE_MS = 40

interface Output {
  readonly context: AudioContext
  readonly sampleRate: number
}

/** @throws {AppError} `play/rate` where the browser has no output of this rate. */
function openContext(sampleRate: number): AudioContext {
  try {
    return new AudioContext({ sampleRate, latencyHint: 'interactive' })
  } catch (error) {
    throw (error as Error)?.name === 'NotSupportedError'
      ? new AppError('play/rate', { rate: sampleRate }, error)
      : error
  }
}

/**
 * Plays a source by one program at a time, or the timeline, each at its own rate: nothing is converted on the way out.
 * The worker is there from the start and gets ready; the output opens with the first `play`, since a page may only make
 * sound after a gesture.
 */
export function createPlayback(events: PlaybackEvents) {
  const memory = createRingMemory()
  const ring = openRing(memory)
  const worker = new Worker(new URL('./player.worker.ts', import.meta.url), { type: 'module' })
  let output: Output | undefined
  let opening: Promise<unknown> = Promise.resolve()
  let source: Sound | undefined
  let program: Program | undefined
  let playing: Playing | undefined
  let restFrame = 0
  let restBeat = 0
  // whoever opens or plays later wins over what was still on its way
  let turn = 0
  let auditions = 0
  let late = 0

  const send = (message: PlayerMessage) => worker.postMessage(message)

  function setPlaying(value: Playing | undefined) {
    if (playing === value) return
    playing = value
    events.onPlaying(value)
  }

  worker.onmessage = ({ data }: MessageEvent<PlayerReport>) => {
    if (data.type === 'jumped') {
      events.onJumped()
      return
    }
    if (data.type === 'ready') {
      events.onReady(data.ids)
      return
    }
    if (data.type === 'round') {
      events.onRound(data)
      return
    }
    if (data.type === 'late') {
      late++
      return
    }
    if (data.type === 'led') {
      events.onLed(data.event)
      return
    }
    if (data.type === 'noted') {
      events.onNoted(data.events)
      return
    }
    if (data.type === 'unplayable') {
      events.onError(fromWire(data.error))
      return
    }
    if (data.type === 'failed') events.onError(fromWire(data.error))
    // a report of an earlier playing must not stop the one that has begun since
    if (data.turn !== turn) return
    if (data.type === 'ended') {
      if (playing === 'mix') restBeat = 0
      else restFrame = 0
    }
    setPlaying(undefined)
  }
  worker.onerror = (event) => events.onError(new Error(event.message || 'the player could not start'))
  send({ type: 'open', ring: memory })

  async function open(sampleRate: number): Promise<AudioContext> {
    if (output?.sampleRate === sampleRate) return output.context
    await output?.context.close()
    output = undefined
    const context = openContext(sampleRate)
    await context.audioWorklet.addModule(workletUrl)
    new AudioWorkletNode(context, 'player', {
      numberOfInputs: 0,
      outputChannelCount: [2],
      processorOptions: memory,
    }).connect(context.destination)
    output = { context, sampleRate }
    return context
  }

  const beatHeard = () => (playing === 'mix' ? markHeard(ring) : undefined) ?? restBeat
  const frameHeard = () => (playing === 'lane' ? markHeard(ring) : undefined) ?? restFrame

  /** Let what plays fade away; it rests where it was heard. */
  function halt() {
    restBeat = beatHeard()
    restFrame = frameHeard()
    send({ type: 'stop' })
    setPlaying(undefined)
  }

  /**
   * Have the output run at a rate, and what plays fade away before.
   * @returns whether whoever asked is still the last one who did.
   */
  async function wakeUp(sampleRate: number, isLast: () => boolean): Promise<boolean> {
    try {
      if (playing) {
        halt()
        await new Promise((resolve) => setTimeout(resolve, FADE_MS))
      }
      const opened = opening.then(() => open(sampleRate))
      opening = opened.catch(() => undefined)
      const context = await opened
      if (isLast()) await context.resume()
      return isLast()
    } catch (error) {
      setPlaying(undefined)
      events.onError(error)
      return false
    }
  }

  return {
    /** the counters of the ring, for whoever works beside it */
    control: memory.control,
    setSource(sound: Sound | undefined, frame = 0) {
      if (sound === source) return
      if (playing !== 'mix') turn++
      if (playing === 'lane') send({ type: 'stop' })
      source = sound
      program = undefined
      restFrame = frame
      if (playing === 'lane') setPlaying(undefined)
      if (sound) send({ type: 'source', sound })
    },
    /** What is known of the source; to be given before a program with lanes that need it. */
    setAnalysis(analysis: Analysis) {
      send({ type: 'analysis', analysis })
    },
    setProgram(next: Program) {
      program = next
      send({ type: 'program', program: next })
    },
    async play(sourceFrame: number) {
      if (!source || !program) return
      const mine = ++turn
      if (await wakeUp(source.sampleRate, () => mine === turn)) {
        restFrame = sourceFrame
        send({ type: 'play', sourceFrame, turn: mine })
        setPlaying('lane')
      }
    },
    stop() {
      turn++
      halt()
    },
    /** Sounds of the timeline, by what its parts call them. */
    setMixSounds(sounds: Readonly<Record<string, MixSound | 'as before'>>) {
      send({ type: 'mixSounds', sounds })
    },
    setArrangement(arrangement: Arrangement, click: Click) {
      send({ type: 'arrangement', arrangement, click })
    },
    /** Play the timeline from a beat on, at a rate, behind so many beats of click alone. */
    async playMix(beat: number, rate: number, leadBeats = 0) {
      const mine = ++turn
      if (await wakeUp(rate, () => mine === turn)) {
        restBeat = beat
        send({ type: 'playMix', beat, leadBeats, outputRate: rate, turn: mine })
        setPlaying('mix')
      }
    },
    /** Go on at a beat: at once, or where nothing plays, from there the next time. */
    goTo(beat: number) {
      restBeat = beat
      if (playing === 'mix') send({ type: 'goTo', beat })
    },
    /** Go on at a beat once another one has come; undefined takes that back. */
    setJump(jump: Jump | undefined) {
      send({ type: 'jump', jump })
    },
    /** The beat of the timeline that is heard now; where it will start, when it does not play. */
    beat: beatHeard,
    /** Click over what plays, at these moments of the source; undefined for silence. */
    setClick(track: ClickTrack | undefined) {
      send({ type: 'click', track })
    },
    /**
     * Let a sound be heard over what plays, or alone: at once, or when what plays next passes one of the source frames in
     * `at`. It takes the place of one that is still heard.
     */
    async audition(order: AuditionOrder, at?: Float64Array) {
      const mine = ++auditions
      try {
        const rate = output?.sampleRate ?? source?.sampleRate ?? order.sound.sampleRate
        const opened = opening.then(() => open(rate))
        opening = opened.catch(() => undefined)
        const context = await opened
        await context.resume()
        if (mine !== auditions) return
        send({ type: 'audition', start: { order, at: playing ? at : undefined }, outputRate: rate })
      } catch (error) {
        events.onError(error)
      }
    },
    /** All that can be played from now on, with their sounds. */
    setInstruments(sounds: Readonly<Record<string, MixSound | 'as before'>>, instruments: readonly GivenInstrument[]) {
      send({ type: 'instruments', sounds, instruments })
    },
    /** Have the output run, so that what is played is heard at once, over what plays or alone. */
    async stand(rate: number) {
      if (playing) return
      const mine = ++turn
      // what was stopped fades away first
      await new Promise((resolve) => setTimeout(resolve, FADE_MS))
      if (mine !== turn) return
      if (await wakeUp(output?.sampleRate ?? rate, () => mine === turn)) {
        send({ type: 'stand', outputRate: output?.sampleRate ?? rate, turn: mine })
        setPlaying('hand')
      }
    },
    /** Play events that came at once; they are told of when they come to be heard. */
    playNotes(events: readonly NoteEvent[]) {
      send({ type: 'notes', events })
    },
    /** Lead a sound by hand, over what plays. */
    leadByHand(event: HandEvent) {
      send({ type: 'hand', event })
    },
    hush() {
      send({ type: 'hush' })
    },
    /** Go round and round over what stands, clicked; undefined ends that. */
    goRound(order: RoundOrder | undefined) {
      send({ type: 'round', order })
    },
    setRoundNotes(notes: readonly PlayedNote[]) {
      send({ type: 'roundNotes', notes })
    },
    /** The beat of a round that is heard now, its lead included; undefined where none goes. */
    roundBeat(): number | undefined {
      const beat = playing === 'hand' ? markHeard(ring) : undefined
      return beat !== undefined && beat >= 0 ? beat : undefined
    },
    /** Hz that the output runs at; undefined before it was opened */
    outputRate: (): number | undefined => output?.sampleRate,
    stopAudition() {
      auditions++
      send({ type: 'stopAudition' })
    },
    seek(sourceFrame: number) {
      restFrame = sourceFrame
      if (playing === 'lane') send({ type: 'seek', sourceFrame })
    },
    get playing(): Playing | undefined {
      return playing
    },
    /** The source frame that is heard now; where playing will start, when nothing is. */
    sourceFrame: frameHeard,
    /** quanta in which the output had to wait for samples, since the page was opened */
    underruns: (): number => Atomics.load(ring.control, Slot.underruns),
    /** notes and changes whose start was not heard whole, since the page was opened */
    late: (): number => late,
    /** The last frames that went to the output. */
    heard: (frames: number): { sampleRate: number; channels: [Float32Array, Float32Array]; total: number } => ({
      sampleRate: output?.sampleRate ?? 0,
      channels: lastHeard(ring, frames),
      total: Atomics.load(ring.control, Slot.monitored) >>> 0,
    }),
    /** milliseconds from what goes to the output to what is heard: the machine's own */
    wayOutMs: (): number => (output ? 1000 * (output.context.baseLatency + (output.context.outputLatency || 0)) : 0),
  }
}
