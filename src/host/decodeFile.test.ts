import { readFileSync } from 'node:fs'
import { describe, expect, it, vi } from 'vitest'
import { aiffFile } from '../core/testing/soundFiles'
import { decodeFile } from './decodeFile'

const fixture = (ending: string) => new Uint8Array(readFileSync(`e2e/fixtures/gull.${ending}`))
const decode = (ending: string, bytes = fixture(ending)) => decodeFile(bytes, `gull.${ending}`)

/** How alike two sounds are, 1 = the same but for level; both read from their first frame. */
function likeness(a: Float32Array, b: Float32Array): number {
  let ab = 0
  let aa = 0
  let bb = 0
  for (let i = 0; i < Math.min(a.length, b.length); i++) {
    ab += (a[i] as number) * (b[i] as number)
    aa += (a[i] as number) ** 2
    bb += (b[i] as number) ** 2
  }
  return ab / Math.sqrt(aa * bb)
}

describe('decodeFile', () => {
  it('reads FLAC and AIFF of the same sound to the very same samples, on the 16-bit grid', async () => {
    const flac = await decode('flac')
    const aiff = await decode('aiff')
    expect(flac.depth).toEqual({ bits: 16, float: false })
    expect(aiff.depth).toEqual({ bits: 16, float: false })
    expect(flac.audio).toEqual(aiff.audio)
    const samples = flac.audio.channels[0] as Float32Array
    expect(samples.every((v) => Number.isInteger(v * 32_768))).toBe(true)
  })

  it.each([
    ['mp3', 44_100, 26_460],
    ['ogg', 44_100, 26_460],
    ['opus', 48_000, 28_800],
  ])('reads %s at its own rate, whole, and in place', async (ending, sampleRate, frames) => {
    const { audio, depth } = await decode(ending)
    expect(audio.sampleRate).toBe(sampleRate)
    expect(audio.channels[0]).toHaveLength(frames)
    expect(audio.channels).toHaveLength(2)
    expect(depth).toBeUndefined()
    const { audio: lossless } = await decode('flac')
    if (sampleRate === 44_100) {
      expect(likeness(audio.channels[0] as Float32Array, lossless.channels[0] as Float32Array)).toBeGreaterThan(0.97)
    }
  })

  it('says that M4A needs the browser, unless the host brings a decoder', async () => {
    await expect(decode('m4a')).rejects.toMatchObject({ code: 'audio/needs-browser' })
    const audio = { sampleRate: 8000, channels: [Float32Array.of(0.5)] }
    await expect(
      decodeFile(fixture('m4a'), 'gull.m4a', Object.fromEntries([['M4A', async () => audio]])),
    ).resolves.toMatchObject({ audio })
  })

  it.each(['flac', 'aiff'])('notices that half of %s is missing', async (ending) => {
    const whole = fixture(ending)
    await expect(decode(ending, whole.slice(0, whole.length / 2))).rejects.toMatchObject({
      code: 'audio/truncated',
      details: { file: `gull.${ending}` },
    })
  })

  it.each(['mp3', 'ogg', 'opus'])('lets in what is there of half a %s, and says how much is not', async (ending) => {
    const whole = fixture(ending)
    const { audio: all, warnings: none } = await decode(ending)
    expect(none).toEqual([])
    const { audio, warnings } = await decode(ending, whole.slice(0, whole.length / 2))
    expect(warnings).toMatchObject([{ code: 'audio/partial', details: { file: `gull.${ending}` } }])
    const frames = audio.channels[0]?.length as number
    expect(frames).toBeGreaterThan(5000)
    expect(frames).toBeLessThan((all.channels[0]?.length as number) - 3000)
    // a file that says how long it was meant to be tells how much is missing
    const missing = String(warnings[0]?.details.missing)
    if (ending === 'mp3') expect(Number.parseFloat(missing)).toBeCloseTo((26_460 - frames) / 44_100, 1)
    else expect(missing).toContain('its end')
  })

  it.each(['mp3', 'ogg', 'opus'])('tells of damage in the middle of %s', async (ending) => {
    const broken = fixture(ending)
    for (let n = 0; n < 2500; n++) broken[Math.floor(broken.length * 0.45) + n] = (n * 37) & 255
    const { warnings } = await decode(ending, broken)
    expect(warnings.map(({ code }) => code)).toContain('audio/partial')
  })

  it('reads packed AIFF no further than it goes', async () => {
    const packed = aiffFile([[0, 0.5, 0.25, 0]], '16', { packing: 'ima4', frames: 2 ** 30 })
    await expect(decodeFile(packed, 'a.aifc')).rejects.toMatchObject({ code: 'audio/truncated' })
  })

  it('lets no decoder print', async () => {
    const said: unknown[] = []
    const names = ['log', 'warn', 'error', 'info'] as const
    const spies = names.map((name) => vi.spyOn(console, name).mockImplementation((...words) => void said.push(words)))
    for (const ending of ['flac', 'mp3', 'ogg', 'opus'])
      for (let n = 0; n < 8; n++) {
        const broken = fixture(ending)
        for (let k = 0; k < 60; k++)
          broken[40 + ((n * 7919 + k * 104_729) % (broken.length - 40))] = (n * 31 + k * 17) & 255
        await decode(ending, broken).catch(() => undefined)
      }
    for (const spy of spies) spy.mockRestore()
    expect(said).toEqual([])
  })

  it.each(['flac', 'aiff', 'ogg', 'opus', 'mp3'])('never fails without a code on a broken %s', async (ending) => {
    for (let n = 0; n < 6; n++) {
      const broken = fixture(ending).slice()
      for (let k = 0; k < 40; k++)
        broken[(n * 7919 + k * 104_729) % Math.min(2000, broken.length)] = (n * 31 + k * 17) & 255
      try {
        const { audio } = await decode(ending, broken)
        expect(audio.channels.every((c) => c.every(Number.isFinite))).toBe(true)
      } catch (error) {
        expect((error as { code?: string }).code).toMatch(/^audio\//)
      }
    }
  })
})
