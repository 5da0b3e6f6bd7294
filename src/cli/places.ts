import { closeSync, lstatSync, mkdirSync, openSync, readlinkSync, renameSync, rmSync, statSync } from 'node:fs'
import { basename, dirname, join, resolve } from 'node:path'
import { AppError } from '../core'
import { errnoText } from '../host/errnoText'
import { writeAll } from './files'
import { holdFile } from './supervise'

/** Where results go: looked at before any work is done, written beside, and put in their place when they are whole. */

export const unwritable = (file: string, error: unknown) =>
  new AppError('file/unwritable', { file, why: errnoText(error) }, error)

const MOST_LINKS = 40

/**
 * The file that a name stands for, links followed. It need not be there yet.
 * @throws {AppError} `file/unwritable`
 */
function realPlace(file: string): string {
  let place = resolve(file)
  for (let n = 0; n < MOST_LINKS; n++) {
    let target: string
    try {
      if (!lstatSync(place).isSymbolicLink()) return place
      target = readlinkSync(place)
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ENOENT') return place
      throw unwritable(file, error)
    }
    place = resolve(dirname(place), target)
  }
  throw new AppError('file/unwritable', { file, why: errnoText({ code: 'ELOOP' }) })
}

/** Whether two names are one file. */
export function isSameFile(a: string, b: string): boolean {
  try {
    const [one, other] = [statSync(a), statSync(b)]
    return one.dev === other.dev && one.ino === other.ino
  } catch {
    return false
  }
}

/** Some folders say that they can be written to, and cannot: only trying tells. */
function tryWriting(folder: string) {
  const place = join(folder, `.zumbet.${process.pid}.try`)
  const release = holdFile(place)
  try {
    closeSync(openSync(place, 'w'))
  } finally {
    rmSync(place, { force: true })
    release()
  }
}

/** See that a file can be written, before the work begins. @throws {AppError} `file/unwritable` */
export function checkPlace(file: string) {
  const place = realPlace(file)
  const folder = dirname(place)
  try {
    if (!statSync(folder).isDirectory()) throw Object.assign(new Error(), { code: 'ENOTDIR' })
    if (lstatSync(place, { throwIfNoEntry: false })?.isDirectory()) throw Object.assign(new Error(), { code: 'EISDIR' })
    tryWriting(folder)
  } catch (error) {
    throw unwritable(file, error)
  }
}

/** Make a folder and its missing parents. Node's recursive mkdir never returns below /proc. */
function makeMissing(folder: string) {
  const there = statSync(folder, { throwIfNoEntry: false })
  if (there?.isDirectory()) return
  if (there) throw Object.assign(new Error(), { code: 'ENOTDIR' })
  makeMissing(dirname(folder))
  mkdirSync(folder)
}

/** A folder for results, made where it is missing. @throws {AppError} `file/unwritable` before any work is done. */
export function makeFolder(folder: string) {
  try {
    makeMissing(resolve(folder))
    tryWriting(folder)
  } catch (error) {
    throw unwritable(folder, error)
  }
}

/** A file of these bytes, which comes to its name when it is whole. @throws {AppError} `file/unwritable` */
export function writeWhole(target: string, content: Uint8Array | string) {
  const sink = partialFile(target)
  try {
    sink.write(typeof content === 'string' ? new TextEncoder().encode(content) : content)
    sink.keep()
  } catch (error) {
    sink.discard()
    throw error
  }
}

/**
 * A file that comes to its name when it is whole. Until then it is a neighbour, which `discard` removes.
 * A link leads to what it links to.
 */
export function partialFile(target: string) {
  const file = realPlace(target)
  const place = join(dirname(file), `.${basename(file).slice(-200)}.${process.pid}.part`)
  const guarded = <Result>(work: () => Result): Result => {
    try {
      return work()
    } catch (error) {
      throw unwritable(target, error)
    }
  }
  const release = holdFile(place)
  let fd: number
  try {
    fd = guarded(() => openSync(place, 'w'))
  } catch (error) {
    release()
    throw error
  }
  let end = 0
  return {
    /** where it lies until it is kept */
    place,
    /** at a byte of the file, or behind what was written last */
    write(bytes: Uint8Array, at = end) {
      guarded(() => writeAll(fd, bytes, at))
      end = at + bytes.length
    },
    keep() {
      guarded(() => {
        closeSync(fd)
        renameSync(place, file)
      })
      release()
    },
    discard() {
      try {
        closeSync(fd)
      } catch {
        // it was closed before its name was refused
      }
      rmSync(place, { force: true })
      release()
    },
  }
}
