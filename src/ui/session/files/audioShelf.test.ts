import { describe, expect, it, vi } from 'vitest'
import type { JobPool } from '../../../engine'
import { newSource, type Source } from '../../../session'
import { createAudioShelf, type LoadedSound } from './audioShelf'

const RATE = 48_000
const source = (id: string, part: Partial<Source> = {}): Source => ({
  ...newSource({ id, name: id, file: `${id}.wav`, origin: 'file' }),
  ...part,
})

function soundOf(frames: number, inFile = false): LoadedSound {
  return {
    decoded: {
      sound: {
        sampleRate: RATE,
        channelCount: 2,
        frames,
        lies: inFile
          ? { blob: new Blob(), file: 'tide.wav', from: 0 }
          : { channels: [0, 1].map(() => Float32Array.from({ length: Math.min(frames, 1000) }, (_, i) => i)) },
      },
      container: 'WAV',
      markers: {
        cues: [
          { frame: 100, label: 'ebb' },
          { frame: 700, label: 'flood' },
        ],
        loops: [{ startFrame: 300, endFrame: 600, kind: 'forward', plays: 0 }],
      },
      warnings: [],
    },
    facts: { overview: undefined as never, frames, peak: 1, loudness: -20 },
    hash: 'h',
    taggedBpm: undefined,
  } as unknown as LoadedSound
}

/** A pool that answers with sounds of given lengths, and counts what it is asked. */
function shelfOf(lengths: Record<string, number>, missing: readonly string[] = [], inFile = false) {
  const asked: string[] = []
  const run = vi.fn(async (job: { kind: string; file?: string; sound?: LoadedSound['decoded']['sound'] }) => {
    asked.push(job.kind === 'decode' ? `decode ${job.file}` : job.kind)
    if (job.kind === 'survey') return { ...soundOf(1).facts, frames: job.sound?.frames }
    return soundOf(lengths[(job.file as string).replace('.wav', '')] ?? 1000, inFile)
  })
  const pool = { run, limit() {} } as unknown as JobPool
  const shelf = createAudioShelf(
    pool,
    async (keys) => (keys.some((key) => missing.includes(key ?? '')) ? undefined : new Blob(['RIFF'])),
    (one) => [one],
  )
  return { shelf, asked }
}

describe('sounds in memory', () => {
  it('are read once, however often they are asked for at the same time', async () => {
    const { shelf, asked } = shelfOf({ rain: 1000 })
    const [a, b] = await Promise.all([shelf.get(source('rain')), shelf.get(source('rain'))])
    expect(a).toBe(b)
    expect(asked).toEqual(['decode rain.wav'])
  })
  it('leave the memory when there is too much of it, the longest unused first', async () => {
    const long = RATE * 60 * 4
    const { shelf, asked } = shelfOf({ a: long, b: long, c: long })
    await shelf.get(source('a'))
    await shelf.get(source('b'))
    await shelf.get(source('a'))
    await shelf.get(source('c'))
    asked.length = 0
    await shelf.get(source('a'))
    await shelf.get(source('c'))
    expect(asked).toEqual([])
    await shelf.get(source('b'))
    expect(asked).toEqual(['decode b.wav'])
  })
  it('never leave while they are all there is, however long', async () => {
    const { shelf, asked } = shelfOf({ tide: RATE * 60 * 60 })
    await shelf.get(source('tide'))
    await shelf.get(source('tide'))
    expect(asked).toHaveLength(1)
  })
  it('that stay in their files take none of it, however many and long', async () => {
    const long = RATE * 60 * 60
    const { shelf, asked } = shelfOf({ a: long, b: long, c: long }, [], true)
    for (const id of ['a', 'b', 'c', 'a', 'b', 'c']) await shelf.get(source(id))
    expect(asked).toHaveLength(3)
  })
  it('that are lost say so by name, and are asked for again the next time', async () => {
    const { shelf } = shelfOf({}, ['gull'])
    for (let n = 0; n < 2; n++) {
      await expect(shelf.get(source('gull'))).rejects.toMatchObject({ code: 'storage/lost', details: { name: 'gull' } })
    }
  })
  it('that were just brought in need no reading', async () => {
    const { shelf, asked } = shelfOf({})
    const sound = soundOf(500)
    shelf.put('bell', sound)
    expect(await shelf.get(source('bell'))).toBe(sound)
    expect(asked).toEqual([])
  })
})

describe('a part of a sound', () => {
  it('is the same samples through a narrower window, with the marks that lie in it', async () => {
    const { shelf } = shelfOf({ rain: 1000 })
    const { decoded, facts } = await shelf.getPart(source('rain', { range: { start: 200, end: 650 } }))
    const { lies } = decoded.sound
    const [samples] = ('channels' in lies ? lies.channels : []) as [Float32Array]
    expect([samples.length, samples[0], samples[449]]).toEqual([450, 200, 649])
    expect(facts.frames).toBe(450)
    expect(decoded.markers.cues).toEqual([])
    expect(decoded.markers.loops).toEqual([expect.objectContaining({ startFrame: 100, endFrame: 400 })])
  })
  it('of a file is the file from a later frame on', async () => {
    const { shelf } = shelfOf({ rain: 1000 }, [], true)
    const { decoded } = await shelf.getPart(source('rain', { range: { start: 200, end: 650 } }))
    expect(decoded.sound).toMatchObject({ frames: 450, lies: { file: 'tide.wav', from: 200 } })
  })
  it('without a range is all of it', async () => {
    const { shelf } = shelfOf({ rain: 1000 })
    expect(await shelf.getPart(source('rain'))).toBe(await shelf.get(source('rain')))
  })
  it('is surveyed once, until another part is asked for', async () => {
    const { shelf, asked } = shelfOf({ rain: 1000 })
    const part = (start: number) => shelf.getPart(source('rain', { range: { start, end: 900 } }))
    await part(100)
    await part(100)
    expect(asked.filter((kind) => kind === 'survey')).toHaveLength(1)
    await part(300)
    expect(asked.filter((kind) => kind === 'survey')).toHaveLength(2)
  })
})
