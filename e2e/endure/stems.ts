import { closeSync, openSync, writeSync } from 'node:fs'
import { writeWav } from '../../src/core'
import { demoMakers } from '../../src/core/demo/sounds'
import { createContentHash } from '../../src/host/contentHash'
import { readSession } from '../../src/session'
import { writeSessionFile } from '../../src/session/sessionFile'

/** A session of many long stems, made of the demo sounds: what a whole song, or an exhibit, brings along. */

const RATE = 48_000
/** the tempo that a demo loop is in, and by which methods it is stretched */
const LOOPS = [
  { id: 'rope-winch', bpm: 96, method: 'splice' },
  { id: 'capstan', bpm: 108, method: 'layered' },
  { id: 'chain-rattle', bpm: 100, method: 'wsola' },
  { id: 'harmonium', bpm: 96, method: 'vocoder' },
  { id: 'foghorn-tune', bpm: 72, method: 'cycle' },
  { id: 'rain-on-tin', bpm: 90, method: 'drift' },
  { id: 'hull-knocks', bpm: 89, method: 'wsola' },
  { id: 'gull', bpm: 96, method: 'grain' },
] as const

/** A demo sound, over and over for so many seconds, each time a little quieter or louder. */
function stem(id: string, seconds: number, n: number): Uint8Array<ArrayBuffer> {
  const { audio } = (demoMakers[id] as () => { audio: { sampleRate: number; channels: readonly Float32Array[] } })()
  const frames = seconds * RATE
  const [left, right] = [audio.channels[0] as Float32Array, audio.channels.at(-1) as Float32Array]
  const channels = [left, right].map((own) =>
    Float32Array.from({ length: frames }, (_, i) => {
      const round = Math.floor(i / own.length)
      return 0.25 * (0.7 + 0.3 * Math.sin(round + n)) * (own[i % own.length] as number)
    }),
  )
  return writeWav({ sampleRate: RATE, channels }, { format: '16', seed: n + 1 })
}

/** Write such a session into a file. @returns the tempo that all of it is laid on. */
export async function writeStems(file: string, count: number, seconds: number): Promise<number> {
  const bpm = 98
  const stems = Array.from({ length: count }, (_, n) => {
    const loop = LOOPS[n % LOOPS.length] as (typeof LOOPS)[number]
    return { ...loop, name: `${loop.id} ${n + 1}`, n }
  })
  const hashes: string[] = []
  for (const own of stems) {
    const hash = await createContentHash()
    hash.add(stem(own.id, seconds, own.n))
    hashes.push(hash.finish())
  }
  const bars = Math.floor((seconds * bpm) / 60 / 4)
  const read = readSession({
    version: 2,
    bpm,
    tempoLine: [{ beat: 0, bpm }],
    sources: stems.map(({ name, bpm: own, n }) => ({
      id: name,
      file: `${name}.wav`,
      name,
      hash: hashes[n],
      // as a session that was saved has it
      facts: {
        frames: seconds * RATE,
        sampleRate: RATE,
        channels: 2,
        container: 'WAV',
        depth: { bits: 16, float: false },
        peak: 0.25,
        hash: hashes[n],
      },
      hand: { bpm: own, firstBeat: 0 },
      variants: [{ methodId: stems[n]?.method }, { methodId: 'vocoder' }, { methodId: 'wsola' }],
    })),
    parts: stems.map(({ name }) => ({ source: name, startBeat: 0, variant: 'A', gainDb: -9 })),
    sections: Array.from({ length: 6 }, (_, n) => ({
      name: `Song ${n + 1}`,
      bar: 1 + Math.floor((n * bars) / 6),
      bars: Math.floor(bars / 6),
    })),
  })
  if (read.kind !== 'read' || read.mended.length > 0) throw new Error(`stems: ${JSON.stringify(read)}`)
  const fd = openSync(file, 'w')
  function* sounds() {
    for (const own of stems) {
      const bytes = stem(own.id, seconds, own.n)
      yield {
        hash: hashes[own.n] as string,
        file: `${own.name}.wav`,
        bytes: { length: bytes.length, read: (at: number, size: number) => bytes.subarray(at, at + size) },
      }
    }
  }
  await writeSessionFile(read.session, sounds(), (bytes) => void writeSync(fd, bytes), new Date(0))
  closeSync(fd)
  return bpm
}
