import 'fake-indexeddb/auto'
import type { Artefact, ArtefactId, Contest, Measurement, Recipe, Span, Trial } from '../../core'
import type { Sound } from '../../engine'
import type { Job, JobResults, SoundFacts } from '../../engine/jobProtocol'
import { StandInWorker } from './standInWorker'

Object.assign(globalThis, { Worker: StandInWorker, requestAnimationFrame: () => 0 })

const { store } = await import('../session/state/store')
const { firstOutlook, newSource, NO_TIMELINE, SESSION_VERSION, startHistory } = await import('../../session')
const { contents } = await import('../session/state/engine')
const { syncListening } = await import('../session/hear/listening')

export const RATE = 48_000
/** of the bytes of every file in these tests */
const HASH = 'ab'.repeat(32)

/** A sound of some seconds that every decode and render comes to. */
export const soundOf = (seconds: number): Sound => ({
  sampleRate: RATE,
  channelCount: 1,
  frames: seconds * RATE,
  lies: { channels: [Float32Array.from({ length: seconds * RATE }, (_, i) => 0.3 * Math.sin(i / 17))] },
})

const factsOf = (frames: number): SoundFacts => ({
  overview: { framesPerBin: 16, frames, low: new Float32Array(1), high: new Float32Array(1), rms: new Float32Array(1) },
  frames,
  peak: 0.3,
  loudness: -20,
})

const figure = (id: ArtefactId, value: number): Artefact => ({ id, value, measured: true, places: [], parts: {} })

/** A measurement with these figures. */
export const measurementOf = (values: Partial<Record<ArtefactId, number>>): Measurement => ({
  unlikenessDb: 0.5,
  artefacts: Object.entries(values).map(([id, value]) => figure(id as ArtefactId, value)),
})

const NO_FOCUS = [0, 0, 0, 0, 0]
const NO_PITCH = { hopFrames: 480, hz: new Float32Array(1), clarity: new Float32Array(1) } as never

/** Answers as the workers would, with figures by the recipe that is measured. */
export function answering(
  figuresOf: (of: { readonly recipe: Recipe; readonly span?: Span }) => Measurement,
  seconds = 4,
) {
  return (job: Job): JobResults[keyof JobResults] => {
    if (job.kind === 'decode')
      return {
        decoded: { sound: soundOf(seconds), container: 'WAV', markers: { cues: [], loops: [] }, warnings: [] } as never,
        facts: factsOf(seconds * RATE),
        hash: HASH,
        taggedBpm: undefined,
      }
    if (job.kind === 'analyse') return { attacks: [], pitch: NO_PITCH, focus: NO_FOCUS, ...job.known }
    if (job.kind === 'render')
      return { facts: factsOf(Math.round(seconds * RATE * job.recipe.stretch)), result: undefined }
    if (job.kind === 'measure')
      return { span: { from: 0, to: Math.round(job.seconds * RATE) }, measurement: figuresOf(job) } satisfies Trial
    if (job.kind === 'contest')
      return {
        lanes: job.lanes,
        known: job.analysis,
        sampleRate: RATE,
        handovers: [{ frame: (seconds * RATE) / 2, fade: 0.005, hides: 'attack' }],
        borders: [0, 0.5, 1].map((share) => share * seconds * RATE),
      } satisfies Contest
    if (job.kind === 'look') {
      const { recipe, span } = job.look
      return { span, measurement: figuresOf({ recipe, span }) } satisfies Trial
    }
    if (job.kind === 'spectrogram')
      return {
        sampleRate: RATE,
        fftFrames: job.fftFrames,
        columns: job.columns,
        bins: job.fftFrames / 2 + 1,
        levels: new Uint8Array(job.columns * (job.fftFrames / 2 + 1)),
      }
    throw new Error(`no answer to ${job.kind}`)
  }
}

/** A session with one source by this id, whose sound has been read and is heard. */
export async function openSession(id: string) {
  const source = { ...newSource({ id, name: 'Tide bell', file: 'tide-bell.wav', origin: 'file' }), hash: HASH }
  await contents.put(HASH, new Blob(['RIFF']))
  store.setState({
    ...store.getInitialState(),
    ready: true,
    history: startHistory({ version: SESSION_VERSION, bpm: 96, ...NO_TIMELINE, sources: [source] }),
    outlook: { ...firstOutlook('ink'), selectedId: id },
  })
  await new Promise<void>((resolve) => syncListening(store.getState(), resolve))
  return () => {
    const [now] = store.getState().history.present.sources
    if (!now) throw new Error('the source is gone')
    return now
  }
}

/** Wait until something holds; what is asked of workers comes later. */
export async function until(holds: () => boolean, what: string) {
  for (let n = 0; n < 2000; n++) {
    if (holds()) return
    await new Promise((resolve) => setTimeout(resolve, 5))
  }
  throw new Error(`never came: ${what}`)
}

export { store }
