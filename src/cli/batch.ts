import { appendFileSync, existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync } from 'node:fs'
import { hostname } from 'node:os'
import { basename, dirname, join, relative, resolve } from 'node:path'
import { AppError, type Container } from '../core'
import { acceptedEndings } from '../host/sniff'
import { resultNames } from '../session/batch/names'
import type { BatchKey } from '../session/batch/plan'
import type { BatchRow } from '../session/batch/settings'
import { summaryOf } from '../session/batch/summary'
import { aimOf } from './aims'
import { type Arguments, readArguments, UsageError } from './args'
import { type BatchJob, type BatchOrder, makeBatchFile } from './batchFile'
import { outputFlags } from './output'
import { isSameFile, makeFolder, unwritable, writeWhole } from './places'
import { methodOf, RENDER_FLAGS, recipeFrom } from './recipeFlags'
import type { Terminal } from './terminal'
import { askThreads, threadsFrom } from './threads'

/**
 * `batch IN… OUTDIR`: many sounds to one target. What is finished is written down as it is, so that a batch that was
 * ended at any moment goes on where it was; files come to their names whole.
 */

/** by the material; by what harms this sound least */
const AUTO = 'auto'
const ADVICE = 'advice'

export async function batch(words: readonly string[], terminal: Terminal) {
  const { out, err, progress } = terminal
  const args = readArguments(
    words,
    [...RENDER_FLAGS, 'stretch', 'seconds', 'bpm', 'key', 'workers', 'shard'],
    ['resume', 'force', 'json', 'measure'],
  )
  if (args.places.length < 2) throw new UsageError('give one or more sounds or folders, and a folder for the results')
  const folder = args.places.at(-1) as string
  const order = await orderFrom(args)
  const threads = threadsFrom(args)
  const shard = shardFrom(args.text('shard'))
  const all = filesOf(args.places.slice(0, -1), folder, order.written.container)
  const own = all.filter((_, n) => n % shard.of === shard.own - 1)
  makeFolder(folder)
  const scratch = scratchFolder(folder)
  const [resumes, force] = [args.flag('resume'), args.flag('force')]
  const journal = openJournal(folder, shard, order)
  const rows: BatchRow[] = []
  const todo: BatchJob[] = []
  const tell = (row: BatchRow, kept = false) => {
    rows.push(row)
    progress(rows.length / Math.max(1, own.length))
    if (args.flag('json')) out(JSON.stringify({ ...row, kept }))
    else out(lineOf(row, kept))
    if (row.status === 'failed') err(`zumbet: ${row.error}`)
  }
  try {
    for (const [n, { input, output }] of own.entries()) {
      const target = join(folder, output)
      const there = statSync(target, { throwIfNoEntry: false })
      const before = resumes ? journal.row(input) : undefined
      if (before && there?.size === before.bytes) tell(before, true)
      else if (there && (isSameFile(input, target) || !(force || resumes)))
        tell({ file: input, output, status: 'failed', error: standsThere(input, target), doubts: [] })
      else todo.push({ input, output, part: join(scratch, String(n)) })
    }
    const parts = new Map(todo.map((job) => [job.input, job]))
    for await (const row of made(order, todo, threads)) {
      const job = parts.get(row.file) as BatchJob
      if (row.status === 'done') keep(folder, job)
      else rmSync(job.part, { force: true })
      if (row.status === 'done') journal.add(row)
      tell(row)
    }
  } finally {
    rmSync(scratch, { recursive: true, force: true })
  }
  const name = shard.of === 1 ? 'summary.csv' : `summary-${shard.own}-of-${shard.of}.csv`
  writeWhole(join(folder, name), summaryOf(rows))
  const failed = rows.filter(({ status }) => status === 'failed').length
  const doubtful = rows.filter(({ status, doubts }) => status === 'done' && doubts.length > 0).length
  err(
    `zumbet: ${rows.length - failed} of ${rows.length} files made${doubtful > 0 ? `, ${doubtful} in doubt` : ''}; ${join(folder, name)} tells of each`,
  )
  if (failed > 0) throw new AppError('batch/some-failed', { failed, files: rows.length })
}

async function* made(order: BatchOrder, jobs: readonly BatchJob[], threads: number): AsyncGenerator<BatchRow> {
  if (threads > 1 && jobs.length > 1) yield* askThreads<BatchJob, BatchRow>('batch', { order }, jobs, threads)
  else for (const job of jobs) yield await makeBatchFile(order, job)
}

async function orderFrom(args: Arguments): Promise<BatchOrder> {
  const aims = ['stretch', 'seconds', 'bpm'].filter((name) => args.text(name) !== undefined)
  if (aims.length > 1) throw new UsageError(`--${aims[0]} and --${aims[1]} both say how long: give one of them`)
  const text = args.text('method') ?? AUTO
  const advised = text === ADVICE
  const method = text === AUTO ? undefined : advised ? 'wsola' : methodOf(text).id
  const written = outputFlags(args)
  const recipe = await recipeFrom(args, method ?? 'wsola', args.number('stretch') ?? 1)
  const aim = aimOf(args) ?? { kind: 'stretch', stretch: recipe.stretch }
  const wish = { aim, key: keyFrom(args.text('key')), semitones: recipe.pitchSemitones, method }
  return { wish, recipe, advised, written, measure: args.flag('measure') }
}

const NOTES = { C: 0, D: 2, E: 4, F: 5, G: 7, A: 9, B: 11 } as const

function keyFrom(text: string | undefined): BatchKey | undefined {
  if (text === undefined) return undefined
  const found = /^([a-g])(#|b)?\s*(m|min|minor|maj|major)?$/i.exec(text.trim())
  if (!found) throw new UsageError(`--key takes a key, like "A minor" or F#, not "${text}"`)
  const note = NOTES[(found[1] as string).toUpperCase() as keyof typeof NOTES]
  const root = (note + (found[2] === '#' ? 1 : found[2] ? 11 : 0)) % 12
  const mode = found[3] === undefined ? undefined : /^maj/i.test(found[3]) ? 'major' : 'minor'
  return { root, mode }
}

interface Shard {
  readonly own: number
  readonly of: number
}

function shardFrom(text: string | undefined): Shard {
  if (text === undefined) return { own: 1, of: 1 }
  const [own = Number.NaN, of = Number.NaN] = text.split('/').map(Number)
  if (!(Number.isInteger(own) && Number.isInteger(of) && own >= 1 && own <= of && of <= 10_000))
    throw new UsageError(`--shard takes I/N, like 2/8, not "${text}"`)
  return { own, of }
}

/** All sounds that are named or lie in named folders, and where each goes: the same on every machine. */
function filesOf(
  inputs: readonly string[],
  folder: string,
  container: Container,
): { readonly input: string; readonly output: string }[] {
  const found = inputs.flatMap((input) => {
    if (!statSync(input, { throwIfNoEntry: false })?.isDirectory()) return [{ input, name: basename(input) }]
    const inside = readdirSync(input, { recursive: true, encoding: 'utf8' })
      .filter((name) => acceptedEndings.some((ending) => name.toLowerCase().endsWith(`.${ending}`)))
      .filter((name) => !name.split(/[\\/]/).some((part) => part.startsWith('.')))
      // results that lie among the sounds are none of them
      .filter((name) => relative(folder, join(input, name)).startsWith('..') || resolve(folder) === resolve(input))
    if (inside.length === 0) throw new AppError('folder/no-sounds', { folder: input })
    return inside.sort().map((name) => ({ input: join(input, name), name }))
  })
  const names = resultNames(
    found.map(({ name }) => name),
    container,
  )
  return found.map(({ input }, n) => ({ input, output: names[n] as string }))
}

const standsThere = (input: string, target: string) =>
  isSameFile(input, target)
    ? `${target} is the sound that is read: choose another folder for the results.`
    : `${target} is there already: --resume goes on with a batch, --force writes over it.`

const SCRATCH = /^\.batch-(.+)-(\d+)\.part$/

/** A folder for what is not whole yet; those that a batch of this machine left behind when it was killed go. */
function scratchFolder(folder: string): string {
  const here = hostname().replace(/[^\w.]/g, '_')
  for (const name of readdirSync(folder)) {
    const [, host, pid] = SCRATCH.exec(name) ?? []
    if (host !== here || isRunning(Number(pid))) continue
    rmSync(join(folder, name), { recursive: true, force: true })
  }
  const own = join(folder, `.batch-${here}-${process.pid}.part`)
  try {
    mkdirSync(own)
  } catch (error) {
    throw unwritable(own, error)
  }
  process.once('exit', () => rmSync(own, { recursive: true, force: true }))
  return own
}

function isRunning(pid: number): boolean {
  if (pid === process.pid) return false
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM'
  }
}

/** A file that is whole comes to its name, in folders as it lay in. */
function keep(folder: string, { part, output }: BatchJob) {
  const target = join(folder, output)
  try {
    mkdirSync(dirname(target), { recursive: true })
    renameSync(part, target)
  } catch (error) {
    throw unwritable(target, error)
  }
}

/**
 * What was finished, a line each, beside the results. A row holds as long as its file and the order are what they
 * were.
 */
function openJournal(folder: string, { own, of }: Shard, order: BatchOrder) {
  const place = join(folder, of === 1 ? '.batch.jsonl' : `.batch-${own}-of-${of}.jsonl`)
  const orderText = JSON.stringify(order)
  const keyOf = (input: string) => {
    const stats = statSync(input, { throwIfNoEntry: false })
    return `${resolve(input)} ${stats?.size} ${stats?.mtimeMs} ${orderText}`
  }
  const rows = new Map<string, BatchRow>()
  const text = existsSync(place) ? readFileSync(place, 'utf8') : ''
  for (const line of text.split('\n')) {
    try {
      const { key, row } = JSON.parse(line) as { key: string; row: BatchRow }
      if (typeof key === 'string' && typeof row === 'object') rows.set(key, row)
    } catch {
      // the last line of a batch that was killed may be torn
    }
  }
  // a torn line must not swallow the next one
  if (text !== '' && !text.endsWith('\n')) appendFileSync(place, '\n')
  return {
    row: (input: string) => rows.get(keyOf(input)),
    add(row: BatchRow) {
      try {
        appendFileSync(place, `${JSON.stringify({ key: keyOf(row.file), row })}\n`)
      } catch (error) {
        throw unwritable(place, error)
      }
    },
  }
}

function lineOf(row: BatchRow, kept: boolean): string {
  if (row.status === 'failed') return `${row.file}: failed`
  const pitch = row.semitones ? `, ${row.semitones > 0 ? '+' : ''}${row.semitones} st` : ''
  const doubts = row.doubts.length > 0 ? ` (${row.doubts.join('; ')})` : ''
  return `${row.file}: ${row.output}${kept ? ', kept' : ''}, ${row.stretch} ×${pitch} by ${row.method}, ${row.seconds?.toFixed(3)} s${doubts}`
}
