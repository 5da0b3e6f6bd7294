import type { AudioBlock } from '../core'
import { fromWire } from '../host/errorWire'
import type { Program } from './laneMixer'
import workletUrl from './player.worklet.ts?worker&url'
import type { PlayerMessage, PlayerReport } from './playerProtocol'
import { createRingMemory, fillOf, lastHeard, openRing, Slot, sourceFrameHeard } from './ring'

export interface PlaybackEvents {
  onPlaying(playing: boolean): void
  onError(error: unknown): void
}

interface Output {
  readonly context: AudioContext
  readonly worker: Worker
  readonly ring: ReturnType<typeof openRing>
  readonly sampleRate: number
}

/**
 * Plays one source and one program at a time, at the source's own rate, so that nothing is converted on the way out.
 * What is given before the first `play` is kept until then: a page may only make sound after a gesture.
 */
export function createPlayback(events: PlaybackEvents) {
  let output: Output | undefined
  let opening: Promise<Output> | undefined
  let source: AudioBlock | undefined
  let program: Program | undefined
  let playing = false
  let restFrame = 0
  let underrunsBefore = 0
  // whoever opens or plays later wins over what was still on its way
  let turn = 0

  function send(message: PlayerMessage) {
    output?.worker.postMessage(message)
  }

  function setPlaying(value: boolean) {
    if (playing === value) return
    playing = value
    events.onPlaying(value)
  }

  async function open(sampleRate: number): Promise<Output> {
    if (output?.sampleRate === sampleRate) return output
    if (output) {
      underrunsBefore += Atomics.load(output.ring.control, Slot.underruns)
      output.worker.terminate()
      await output.context.close()
      output = undefined
    }
    const context = new AudioContext({ sampleRate, latencyHint: 'interactive' })
    await context.audioWorklet.addModule(workletUrl)
    const memory = createRingMemory()
    const worker = new Worker(new URL('./player.worker.ts', import.meta.url), { type: 'module' })
    worker.onmessage = ({ data }: MessageEvent<PlayerReport>) => {
      if (data.type === 'failed') events.onError(fromWire(data.error))
      else restFrame = data.sourceFrame
      setPlaying(false)
    }
    worker.onerror = (event) => events.onError(new Error(event.message || 'the player could not start'))
    const node = new AudioWorkletNode(context, 'player', {
      numberOfInputs: 0,
      outputChannelCount: [2],
      processorOptions: memory,
    })
    node.connect(context.destination)
    output = { context, worker, ring: openRing(memory), sampleRate }
    send({ type: 'open', ring: memory, sampleRate })
    return output
  }

  return {
    setSource(audio: AudioBlock | undefined, frame = 0) {
      if (audio === source) return
      if (playing) send({ type: 'stop' })
      turn++
      source = audio
      program = undefined
      restFrame = frame
      setPlaying(false)
      if (audio && output?.sampleRate === audio.sampleRate) send({ type: 'source', audio })
    },
    setProgram(next: Program) {
      program = next
      send({ type: 'program', program: next })
    },
    async play(sourceFrame: number) {
      if (!source || !program) return
      const mine = ++turn
      try {
        opening = (opening ?? Promise.resolve()).then(
          () => open((source as AudioBlock).sampleRate),
          () => open((source as AudioBlock).sampleRate),
        ) as Promise<Output>
        const { context } = await opening
        if (mine !== turn || !source || !program) return
        await context.resume()
        if (mine !== turn) return
        send({ type: 'source', audio: source })
        send({ type: 'program', program })
        send({ type: 'play', sourceFrame })
        setPlaying(true)
      } catch (error) {
        setPlaying(false)
        events.onError(error)
      }
    },
    stop() {
      turn++
      restFrame = this.sourceFrame()
      send({ type: 'stop' })
      setPlaying(false)
    },
    seek(sourceFrame: number) {
      restFrame = sourceFrame
      if (playing) send({ type: 'seek', sourceFrame })
    },
    get playing() {
      return playing
    },
    /** The source frame that is heard now; where playing will start, when nothing is. */
    sourceFrame(): number {
      if (playing && output) return sourceFrameHeard(output.ring) ?? restFrame
      return restFrame
    },
    /** quanta in which the output had to wait for samples, since the page was opened */
    underruns(): number {
      return underrunsBefore + (output ? Atomics.load(output.ring.control, Slot.underruns) : 0)
    },
    /** The last frames that went to the output. */
    heard(frames: number): { sampleRate: number; channels: [Float32Array, Float32Array]; total: number } {
      if (!output) return { sampleRate: 0, channels: [new Float32Array(0), new Float32Array(0)], total: 0 }
      return {
        sampleRate: output.sampleRate,
        channels: lastHeard(output.ring, frames),
        total: Atomics.load(output.ring.control, Slot.monitored) >>> 0,
      }
    },
    /** milliseconds from a change to the moment it is heard, as things stand: what is written ahead, and the way out */
    latencyMs(): number {
      if (!output) return 0
      const { context, ring, sampleRate } = output
      return 1000 * (fillOf(ring) / sampleRate + context.baseLatency + (context.outputLatency || 0))
    },
  }
}

export type Playback = ReturnType<typeof createPlayback>
