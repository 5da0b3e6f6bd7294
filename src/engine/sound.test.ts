import { afterEach, describe, expect, it, vi } from 'vitest'
import { writeWav } from '../core'
import { noise } from '../core/testing/signals'
import { isInMemory, isLong, openSound, partOfSound, type Sound, samplesHeld, soundInMemory, withLevels } from './sound'

const audio = noise({ seconds: 0.5, seed: 1, sampleRate: 8000, channels: 2 })

/** A blob whose bytes can be had at once, as a worker's can. */
const blobOf = (bytes: Uint8Array): Blob =>
  ({
    bytes,
    size: bytes.length,
    slice: (from: number, to: number) => blobOf(bytes.slice(from, to)),
  }) as unknown as Blob

const inFile = (): Sound => ({
  sampleRate: 8000,
  channelCount: 2,
  frames: 4000,
  lies: { blob: blobOf(writeWav(audio, { format: '32f' })), file: 'surf.wav', from: 0 },
})

function workerThat(read: (bytes: Uint8Array) => ArrayBuffer) {
  vi.stubGlobal(
    'FileReaderSync',
    class {
      readAsArrayBuffer = (blob: Blob) => read((blob as unknown as { bytes: Uint8Array }).bytes)
    },
  )
}
afterEach(() => vi.unstubAllGlobals())

describe('a sound', () => {
  it('has the same samples from its file as in memory, also a part of it, and a part of that', () => {
    workerThat((bytes) => bytes.slice().buffer)
    for (const [from, to] of [
      [0, 4000],
      [700, 2300],
    ] as const) {
      const [held, filed] = [soundInMemory(audio), inFile()].map((sound) =>
        openSound(partOfSound(partOfSound(sound, from, to), 10, to - from)),
      )
      expect(filed?.frames).toBe(to - from - 10)
      expect(filed?.part(5, 300)).toEqual(held?.part(5, 300))
      expect(filed?.part(0, to - from - 10)).toEqual(held?.part(0, to - from - 10))
    }
  })

  it('knows whether it takes memory, and whether it is too long to', () => {
    expect([isInMemory(soundInMemory(audio)), isInMemory(inFile())]).toEqual([true, false])
    expect([samplesHeld(soundInMemory(audio)), samplesHeld(inFile())]).toEqual([8000, 0])
    expect(isLong({ frames: 48_000 * 60 * 30, channelCount: 2 })).toBe(true)
    expect(isLong({ frames: 48_000 * 60 * 3, channelCount: 2 })).toBe(false)
  })

  it('hands on what was found out about all of it, but not with a part', () => {
    workerThat((bytes) => bytes.slice().buffer)
    const levels = { stepFrames: 200, peaks: new Float32Array(20), energies: new Float32Array(20) }
    const sound = withLevels(inFile(), levels)
    expect(openSound(sound)).toMatchObject({ slow: true, levels })
    expect(openSound(partOfSound(sound, 3, 90)).levels).toBeUndefined()
    expect(withLevels(soundInMemory(audio), levels)).toEqual(soundInMemory(audio))
  })

  it('says which file is lost when it can no longer be read', () => {
    workerThat(() => {
      throw new DOMException('gone', 'NotReadableError')
    })
    expect(() => openSound(inFile())).toThrow(
      expect.objectContaining({ code: 'storage/lost', details: { name: 'surf.wav' } }),
    )
  })
})
