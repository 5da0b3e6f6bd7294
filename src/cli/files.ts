import { createWriteStream, rmSync } from 'node:fs'
import { readFile, rename, rm, stat } from 'node:fs/promises'
import { basename, dirname, join, resolve } from 'node:path'
import { AppError, amplitudeToDb, type DecodedFile, type SampleFormat } from '../core'
import { decodeFile } from '../host/decodeFile'
import { errorText } from '../host/errorText'

export async function readBytes(file: string): Promise<Uint8Array> {
  try {
    if ((await stat(file)).isDirectory()) throw new AppError('audio/not-audio', { file })
    return await readFile(file)
  } catch (error) {
    if (error instanceof AppError) throw error
    const code = (error as NodeJS.ErrnoException).code
    throw code === 'ENOENT'
      ? new AppError('file/missing', { file })
      : new AppError('audio/unreadable', { file, why: String(code) }, error)
  }
}

export const readText = async (file: string) => new TextDecoder().decode(await readBytes(file))

export async function open(file: string, err: (line: string) => void): Promise<DecodedFile> {
  const bytes = await readBytes(file)
  const decoded = await decodeFile(bytes, basename(file))
  for (const warning of decoded.warnings) err(`zumbet: ${errorText(new AppError(warning.code, warning.details))}`)
  return decoded
}

export function ownFormat(source: DecodedFile): SampleFormat {
  const { depth } = source
  if (!depth) return '24'
  if (depth.float) return '32f'
  return depth.bits <= 16 ? '16' : depth.bits <= 24 ? '24' : '32'
}

export const formatName = (format: SampleFormat) => (format === '32f' ? '32-bit float' : `${format} bits`)
export const dbText = (peak: number) => (peak > 0 ? amplitudeToDb(peak).toFixed(2) : '-inf')

/** A file that only comes to its name when it is whole: until then it is a neighbour that `discard` removes. */
export async function partialFile(target: string) {
  const place = join(dirname(resolve(target)), `.${basename(target)}.${process.pid}.part`)
  const unwritable = (error: unknown) =>
    new AppError(
      'file/unwritable',
      { file: target, why: String((error as NodeJS.ErrnoException).code ?? error) },
      error,
    )
  const stream = createWriteStream(place)
  const removeAtExit = () => rmSync(place, { force: true })
  process.once('exit', removeAtExit)
  let failed: unknown
  stream.on('error', (error) => {
    failed = error
  })
  await new Promise<void>((done, fail) => {
    stream.once('open', () => done())
    stream.once('error', (error) => fail(unwritable(error)))
  })
  return {
    write(bytes: Uint8Array) {
      stream.write(bytes)
    },
    async drained() {
      if (failed) throw unwritable(failed)
      if (!stream.writableNeedDrain) return
      await new Promise<void>((done) => {
        const settle = () => {
          stream.off('drain', settle)
          stream.off('error', settle)
          done()
        }
        stream.on('drain', settle)
        stream.on('error', settle)
      })
    },
    async keep() {
      await new Promise<void>((done, fail) => {
        stream.once('error', (error) => fail(unwritable(error)))
        stream.end(() => done())
      })
      try {
        await rename(place, target)
        process.off('exit', removeAtExit)
      } catch (error) {
        throw unwritable(error)
      }
    },
    async discard() {
      stream.destroy()
      await rm(place, { force: true })
    },
  }
}
