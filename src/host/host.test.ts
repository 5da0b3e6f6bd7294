import { readdirSync, readFileSync } from 'node:fs'
import { describe, expect, it, vi } from 'vitest'
import { AppError, type Task } from '../core'
import { errnoText } from './errnoText'
import { errorText, textCodes } from './errorText'
import { fromWire, toWire } from './errorWire'
import { runTask } from './runTask'
import { sniff } from './sniff'

function* counting(total: number): Task<string> {
  for (let doneFrames = 1; doneFrames <= total; doneFrames++) {
    const until = performance.now() + 2
    while (performance.now() < until) {
      /* work */
    }
    yield { doneFrames, totalFrames: total }
  }
  return 'whole'
}

describe('runTask', () => {
  it('runs to the end, telling progress that never falls', async () => {
    const seen: number[] = []
    expect(await runTask(counting(40), { onProgress: (p) => seen.push(p.doneFrames) })).toBe('whole')
    expect(seen.length).toBeGreaterThan(0)
    expect(seen).toEqual([...seen].sort((a, b) => a - b))
  })

  it('lets others run in between, and stops where it is when told to', async () => {
    const stop = new AbortController()
    const closed = vi.fn()
    function* task(): Task<string> {
      try {
        return yield* counting(100_000)
      } finally {
        closed()
      }
    }
    setTimeout(() => stop.abort(new Error('enough')), 30)
    await expect(runTask(task(), { signal: stop.signal })).rejects.toThrow('enough')
    expect(closed).toHaveBeenCalledOnce()
  })

  it('waits where it is while it is to rest, and goes on from there', async () => {
    let goOn = () => {}
    let over: Promise<void> | undefined = new Promise((resolve) => {
      goOn = resolve
    })
    let done = 0
    function* task(): Task<string> {
      while (done < 400) {
        const until = performance.now() + 0.5
        while (performance.now() < until);
        done++
        yield { doneFrames: done, totalFrames: 400 }
      }
      return 'whole'
    }
    const rest = vi.fn(() => over)
    const running = runTask(task(), { rest })
    await vi.waitFor(() => expect(rest).toHaveBeenCalled())
    const here = done
    expect(here).toBeGreaterThan(0)
    await new Promise((resolve) => setTimeout(resolve, 60))
    expect(rest).toHaveBeenCalledOnce()
    expect(done).toBe(here)
    over = undefined
    goOn()
    expect(await running).toBe('whole')
    expect(done).toBe(400)
  })
})

describe('errors on the wire', () => {
  it('keep code and details', () => {
    const back = fromWire(structuredClone(toWire(new AppError('audio/empty', { file: 'a.wav' }))))
    expect(back).toBeInstanceOf(AppError)
    expect(back.code).toBe('audio/empty')
    expect(errorText(back)).toBe(errorText(new AppError('audio/empty', { file: 'a.wav' })))
  })
  it('of nobody’s making keep their message', () => {
    expect(errorText(fromWire(toWire(new TypeError('x is not a function'))))).toContain('x is not a function')
  })
})

describe('errorText', () => {
  it('has a whole sentence for every code, without holes', () => {
    const details = {
      file: 'F',
      pin: 3,
      join: 2,
      lead: 'L',
      leadFrames: 7,
      leadRate: 8000,
      folder: 'D',
      device: 'D',
      files: 4,
      missing: 'M',
      named: 'N',
      holds: 'H',
      rename: '.r',
      why: 'W',
      what: 'A',
      samples: 3,
      id: 'I',
      known: 'K',
      name: 'N',
      takes: 'T',
      value: '9',
      min: 1,
      max: 2,
      bytes: 5e9,
      most: 9,
      count: 1,
      point: 2,
      event: 2,
      beat: 4,
      bpm: '0',
      least: 5,
      source: 1,
      result: 2,
      expected: 3,
      frames: 4,
      rate: '9',
      channels: 9,
      failed: 2,
      entry: 'E',
      coding: 'C',
      was: 1,
      wanted: 2,
    }
    for (const code of textCodes) {
      const text = errorText(new AppError(code, details))
      expect(text, code).not.toMatch(/undefined|NaN/)
      expect(text, code).toMatch(/[.?]$/)
    }
  })

  it('has words for every way in which a disk says no', () => {
    for (const code of ['ENOENT', 'EISDIR', 'ENOTDIR', 'ENOSPC', 'EACCES', 'EROFS', 'EFBIG', 'EIO', 'ELOOP'])
      expect(errnoText({ code }), code).not.toContain('no reason')
    expect(errnoText({ code: 'ENOSPC' })).toBe('the disk is full')
    expect(errnoText({ code: 'EWHAT' })).toBe('the disk gave no reason that is known')
  })

  it('has words for a disk that fails, and none of the machine', () => {
    const failed = Object.assign(new Error('EIO: i/o error, read'), { code: 'EIO', syscall: 'read' })
    expect(errorText(failed)).toBe(
      'A file could not be read or written: the disk failed. Check the disk, then try again.',
    )
    expect(errorText(Object.assign(new Error('x'), { code: 'EWHAT', syscall: 'open', path: '/a' }))).toMatch(
      /^\/a could not/,
    )
  })

  it('has a sentence for every code that is thrown anywhere', () => {
    const files = (readdirSync('src', { recursive: true }) as string[]).filter((file) => /\.tsx?$/.test(file))
    const codes = new Set<string>()
    for (const file of files) {
      if (file.includes('.test.')) continue
      for (const [, code] of readFileSync(`src/${file}`, 'utf8').matchAll(/AppError\(\s*'([^']+)'/g))
        codes.add(code as string)
    }
    expect(codes.size).toBeGreaterThan(10)
    for (const code of codes) expect(textCodes).toContain(code)
  })
})

describe('sniff', () => {
  const bytes = (text: string) => Uint8Array.from(text.padEnd(64, '\0'), (c) => c.charCodeAt(0))
  it.each([
    ['RIFF....WAVEfmt ', 'a.wav', 'WAV'],
    ['RIFF....WAVEfmt ', 'no-ending', 'WAV'],
    ['FORM....AIFFCOMM', 'a.AIF', 'AIFF'],
    ['fLaC', 'a.flac', 'FLAC'],
    [`OggS${'\0'.repeat(24)}OpusHead`, 'a.ogg', 'Ogg Opus'],
    [`OggS${'\0'.repeat(24)}\x01vorbis`, 'a.ogg', 'Ogg Vorbis'],
    ['\0\0\0 ftypM4A ', 'a.m4a', 'M4A'],
    ['\0\0\0 ftypisom', 'a.mp4', 'MP4'],
    ['\0\0\0 ftypqt  ', 'a.MOV', 'MP4'],
    ['\0\0\0 moov', 'old.mov', 'MP4'],
    ['\x1aE\xdf\xa3', 'a.webm', 'WebM'],
    ['\x1aE\xdf\xa3', 'a.mkv', 'WebM'],
    ['ID3\x04\0\0\0\0\0\x05.....\xff\xfb\x90\0', 'a.mp3', 'MP3'],
    ['\xff\xfb\x90\0', 'a.mp3', 'MP3'],
    ['\xff\xf1\x50\x80', 'a.aac', 'AAC'],
  ])('knows %j as %s', (head, file, kind) => {
    expect(sniff(bytes(head), file)).toBe(kind)
  })
  it.each([
    ['fLaC', 'a.wav', 'audio/mislabelled'],
    ['\x89PNG\r\n\x1a\n', 'a.wav', 'audio/mislabelled'],
    ['<!DOCTYPE html>', 'a.mp3', 'audio/mislabelled'],
    ['\x1aE\xdf\xa3', 'a.mp4', 'audio/mislabelled'],
    ['Dear museum, the tide', 'letter.txt', 'audio/not-audio'],
    ['Dear museum, the tide', 'letter.mov', 'audio/not-audio'],
    ['Dear museum, the tide', 'letter.wav', 'audio/not-audio'],
  ])('refuses %j named %s', (head, file, code) => {
    expect(() => sniff(bytes(head), file)).toThrow(expect.objectContaining({ code }))
  })
  it('calls a file of no bytes empty and a stump cut off', () => {
    expect(() => sniff(new Uint8Array(0), 'a.wav')).toThrow(expect.objectContaining({ code: 'audio/empty' }))
    expect(() => sniff(Uint8Array.of(0x52, 0x49, 0x46), 'a.wav')).toThrow(
      expect.objectContaining({ code: 'audio/truncated' }),
    )
  })
})
