import { describe, expect, it } from 'vitest'
import { droppedFiles } from './droppedFiles'

const file = (path: string) => ({
  isFile: true,
  isDirectory: false,
  fullPath: `/${path}`,
  file: (done: (file: File) => void) => done(new File(['x'], path.split('/').at(-1) as string)),
})
/** A folder that gives its entries a few at a time, as browsers do. */
const folder = (path: string, entries: readonly unknown[], atOnce = 2) => ({
  isFile: false,
  isDirectory: true,
  fullPath: `/${path}`,
  createReader() {
    let at = 0
    return {
      readEntries(done: (some: readonly unknown[]) => void) {
        done(entries.slice(at, at + atOnce))
        at += atOnce
      },
    }
  },
})
const drop = (entries: readonly unknown[], files: readonly File[] = []) =>
  ({ items: entries.map((entry) => ({ webkitGetAsEntry: () => entry })), files }) as unknown as DataTransfer

describe('what is dropped', () => {
  it('is every file of every folder in it, each with its path, however few a reader gives at a time', async () => {
    const many = Array.from({ length: 7 }, (_, n) => file(`sea/wave-${n}.wav`))
    const { files, folders } = await droppedFiles(
      drop([folder('sea', [...many, folder('sea/deep', [file('sea/deep/bell.wav')])])]),
    )
    expect(folders).toBe(true)
    expect(files.map(({ path }) => path)).toEqual([
      ...Array.from({ length: 7 }, (_, n) => `sea/wave-${n}.wav`),
      'sea/deep/bell.wav',
    ])
    expect(files.at(-1)?.file.name).toBe('bell.wav')
  })
  it('knows single files from folders', async () => {
    expect(await droppedFiles(drop([file('gull.wav')]))).toMatchObject({
      folders: false,
      files: [{ path: 'gull.wav' }],
    })
    expect((await droppedFiles(drop([folder('empty', [])]))).files).toEqual([])
  })
  it('takes plain files where a browser has no entries', async () => {
    const { files, folders } = await droppedFiles(drop([null], [new File(['x'], 'rain.wav')]))
    expect(folders).toBe(false)
    expect(files.map(({ path }) => path)).toEqual(['rain.wav'])
  })
  it('says what cannot be read, by failing', async () => {
    const torn = { ...file('torn.wav'), file: (_: unknown, fail: (error: Error) => void) => fail(new Error('gone')) }
    await expect(droppedFiles(drop([torn]))).rejects.toThrow('gone')
  })
})
