import { createHash } from 'node:crypto'
import { strToU8, zipSync } from 'fflate'
import { describe, expect, it } from 'vitest'
import { createRandom } from '../core/dsp/random'
import { firstSession, NO_TIMELINE, newSource } from './create'
import { safeFileName, stemsOf } from './fileNames'
import { plainText } from './plainText'
import type { Session } from './schema'
import { blobSink, isSafePath, openSessionFile, partsOfBlob, withNewIds, writeSessionFile } from './sessionFile'

const hashOf = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex')
const bytesOf = (size: number, seed: number) => {
  const random = createRandom(seed)
  return Uint8Array.from({ length: size }, () => random() * 256)
}

const bell = bytesOf(300_000, 1)
const rain = bytesOf(17, 2)
const session: Session = {
  ...firstSession(),
  ...NO_TIMELINE,
  sources: [
    { ...newSource({ id: 'b', name: 'Bell', file: 'harbour-bell.wav', origin: 'file' }), hash: hashOf(bell) },
    { ...newSource({ id: 'r', name: 'Rain', file: 'rain', origin: 'file' }), hash: hashOf(rain) },
    { ...newSource({ id: 'r2', name: 'Rain again', file: 'rain', origin: 'file' }), hash: hashOf(rain) },
  ],
}
const sound = (bytes: Uint8Array, file: string) => ({
  hash: hashOf(bytes),
  file,
  bytes: partsOfBlob(new Blob([bytes.slice()])),
})

async function written() {
  const { sink, finish } = blobSink()
  const sounds = [sound(bell, 'harbour-bell.wav'), sound(rain, 'rain'), sound(rain, 'rain')]
  await writeSessionFile(session, sounds, sink, new Date(2026, 10, 27))
  return finish()
}

const open = (blob: Blob) => openSessionFile(partsOfBlob(blob), 'tide.zumbet')
const openZip = (files: Record<string, Uint8Array>) => open(new Blob([zipSync(files).slice()]))
const json = (value: unknown) => strToU8(typeof value === 'string' ? value : JSON.stringify(value))

async function extracted(file: Awaited<ReturnType<typeof open>>, n: number) {
  const source = file.read.kind === 'unreadable' ? undefined : file.read.session.sources[n]
  if (!source) throw new Error('there is no such source')
  const { sink, finish } = blobSink()
  await file.extract(source, sink)
  return new Uint8Array(await finish().arrayBuffer())
}

describe('the session file', () => {
  it('comes back as it was: the session, and every sound to the byte', async () => {
    const blob = await written()
    const file = await open(blob)
    expect(file.read).toEqual({ kind: 'read', session, mended: [] })
    expect(file.strange).toEqual([])
    expect(await extracted(file, 0)).toEqual(bell)
    expect(await extracted(file, 1)).toEqual(rain)
    expect(await extracted(file, 2)).toEqual(rain)
    // the same bytes lie there once
    expect(blob.size).toBeLessThan(bell.length + rain.length + 12_000)
    await file.close()
  })

  it('tells where sounds lie in it as they are, and only of those', async () => {
    const blob = await written()
    const file = await open(blob)
    const { sources } = session
    for (const [n, own] of [bell, rain, rain].entries()) {
      const { at, length, hash } = (await file.stored(sources[n] as (typeof sources)[number])) ?? { at: 0, length: 0 }
      expect(new Uint8Array(await blob.slice(at, at + length).arrayBuffer())).toEqual(own)
      expect(hash).toBe(hashOf(own))
    }
    const name = `audio/${hashOf(bell)}.wav`
    const text = json({ sources: [{ file: 'bell.wav', hash: hashOf(bell) }] })
    for (const level of [0, 6] as const) {
      const zip = await open(new Blob([zipSync({ 'session.json': text, [name]: bell }, { level }).slice()]))
      const [source] = zip.read.kind === 'unreadable' ? [] : zip.read.session.sources
      const stored = await zip.stored(source as NonNullable<typeof source>)
      if (level === 0) expect(stored?.length).toBe(bell.length)
      else expect(stored).toBeUndefined()
    }
  })

  it('reads one that was made by hand, packed or not, whose sounds lie where their names say', async () => {
    const file = await openZip({
      'session.json': json({ sources: [{ file: 'sounds/bell.wav' }, { file: 'rain.wav' }] }),
      'sounds/bell.wav': bell,
      'rain.wav': rain,
      'notes.txt': json('low tide'),
    })
    expect(file.read).toMatchObject({ kind: 'read', mended: [] })
    expect(await extracted(file, 0)).toEqual(bell)
    expect(await extracted(file, 1)).toEqual(rain)
  })

  it('says what is wrong with what is no session file', async () => {
    const unreadable = { code: 'session-file/unreadable', details: { file: 'tide.zumbet' } }
    await expect(open(new Blob(['RIFF no zip']))).rejects.toMatchObject(unreadable)
    await expect(open(new Blob([]))).rejects.toMatchObject(unreadable)
    await expect(openZip({ 'a.wav': rain })).rejects.toMatchObject(unreadable)
    await expect(openZip({ 'session.json': json('{"sources":') })).rejects.toMatchObject(unreadable)
    expect((await openZip({ 'session.json': json('[1]') })).read.kind).toBe('unreadable')
    const missing = await openZip({ 'session.json': json({ sources: [{ file: 'bell.wav' }] }) })
    await expect(extracted(missing, 0)).rejects.toMatchObject({ code: 'session-file/missing' })
  })

  it('believes no size: what would grow beyond all measure is not unpacked', async () => {
    const zeros = new Uint8Array(3e6)
    const packed = zipSync({ 'session.json': json({ sources: [{ file: 'bell.wav' }] }), 'bell.wav': zeros })
    expect((await open(new Blob([packed.slice()]))).read.kind).toBe('read')
    // an entry that says it is small and is not: 17 bytes in both headers
    const view = new DataView(packed.buffer, packed.byteOffset, packed.length)
    for (let at = 0; at + 30 < packed.length; at++) {
      const mark = view.getUint32(at, true)
      if (mark === 0x04034b50 && view.getUint32(at + 22, true) === 3e6) view.setUint32(at + 22, 17, true)
      if (mark === 0x02014b50 && view.getUint32(at + 24, true) === 3e6) view.setUint32(at + 24, 17, true)
    }
    const lying = await open(new Blob([packed.slice()]))
    await expect(extracted(lying, 0)).rejects.toMatchObject({ code: expect.stringMatching(/^session-file\//) })
    // and one that says it is huge
    for (let at = 0; at + 30 < packed.length; at++)
      if (view.getUint32(at, true) === 0x02014b50 && view.getUint32(at + 24, true) === 17)
        view.setUint32(at + 24, 0xfffffff0, true)
    await expect(open(new Blob([packed.slice()]))).rejects.toMatchObject({ code: 'session-file/bomb' })
  })

  it('leaves out names that lead out of it', async () => {
    const file = await openZip({
      'session.json': json({ sources: [{ file: '../../bell.wav' }] }),
      '../../bell.wav': bell,
      '/etc/rain.wav': rain,
    })
    expect([...file.strange].sort()).toEqual(['../../bell.wav', '/etc/rain.wav'])
    await expect(extracted(file, 0)).rejects.toMatchObject({ code: 'session-file/missing' })
    for (const bad of ['', '..', 'a/../b', '/a', 'a//b', 'C:x', 'a\\b', 'a\u0000', './a', 'x'.repeat(600)])
      expect(isSafePath(bad), bad).toBe(false)
    for (const good of ['a', 'a/b.wav', 'Ebb & flood (2).wav', '..a']) expect(isSafePath(good), good).toBe(true)
  })

  it('never fails without a code, wherever a byte is wrong, and gives out no damaged sound', async () => {
    const whole = new Uint8Array(await (await written()).arrayBuffer())
    const random = createRandom(11)
    for (let n = 0; n < 150; n++) {
      const broken = n % 3 === 0 ? whole.slice(0, Math.floor(random() * whole.length)) : whole.slice()
      for (let k = 0; k < 8; k++) {
        const near = random() < 0.5 ? random() : 1 - random() * 0.005
        broken[Math.floor(near * broken.length)] = random() * 256
      }
      try {
        const file = await open(new Blob([broken]))
        if (file.read.kind !== 'read') continue
        const { sources } = file.read.session
        for (let i = 0; i < sources.length; i++) {
          const bytes = await extracted(file, i)
          expect([hashOf(bell), hashOf(rain)]).toContain(hashOf(bytes))
        }
      } catch (error) {
        expect((error as { code?: string }).code, `damage ${n}: ${error}`).toMatch(/^session-file\//)
      }
    }
  })

  it('gives ids of its own to what comes beside others', () => {
    let n = 0
    const { sources } = withNewIds(session, () => `new ${n++}`)
    const ids = sources.flatMap(({ id, variants }) => [id, ...variants.map((variant) => variant.id)])
    expect(new Set(ids).size).toBe(12)
    expect(ids.every((id) => id.startsWith('new'))).toBe(true)
    expect(sources.map(({ name, hash }) => [name, hash])).toEqual(session.sources.map(({ name, hash }) => [name, hash]))
  })

  it('names files so that every system takes them, and each once', () => {
    const taken = new Set<string>()
    const name = (file: string) => {
      const safe = safeFileName(file, taken)
      taken.add(safe.toLowerCase())
      return safe
    }
    expect(['a/b/rain.wav', 'Rain.wav', '../..', 'C:\\x\\be:ll?.wav', '.hidden', 'rain.wav'].map(name)).toEqual([
      'rain.wav',
      'Rain 2.wav',
      'sound',
      'bell.wav',
      'hidden',
      'rain 3.wav',
    ])
  })

  it('is written as plain text that JSON reads', () => {
    expect(JSON.parse(plainText({ ...session, odd: 3n }))).toEqual(JSON.parse(JSON.stringify(session)))
  })
})

describe('stems', () => {
  it('are named after their rows, told apart, and only of rows that are heard', () => {
    const row = (id: string, name: string, change = {}) => ({
      id,
      name,
      gainDb: 0,
      muted: false,
      solo: false,
      ...change,
    })
    const rows = [
      row('a', 'Bells'),
      row('b', 'bells'),
      row('c', 'Quiet', { muted: true }),
      row('d', 'Empty'),
      row('e', '../up'),
    ]
    const parts = ['a', 'b', 'c', 'e'].map((id) => ({ row: id })) as Session['parts']
    expect(stemsOf({ rows, parts })).toEqual([
      { row: 0, file: 'Bells.wav' },
      { row: 1, file: 'bells 2.wav' },
      { row: 4, file: expect.not.stringContaining('/') },
    ])
  })
})
