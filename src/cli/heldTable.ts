import { spawn } from 'node:child_process'
import { createHash } from 'node:crypto'
import { appendFileSync, existsSync, readFileSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { freeMethods, rankTrials } from '../core'
import { spectralDistance } from '../core/testing/distance'
import { AS_WRITTEN, type IdealItem } from '../core/testing/ideals'
import { type Figures, judge } from '../core/testing/judge'
import { drawnItem, scoreKinds } from '../core/testing/scores'
import { renderTextbook, textbooks } from '../core/testing/textbook'
import { idealOf, labelOf, playingOf, triedOn } from './againstIdeal'

/**
 * Every method on drawn sounds that nothing was fitted to: what is best, what advice says, and how far both are from
 * the ideal answer, around attacks and between them.
 */

/** drawn for this table alone */
export const HELD_NUMBERS = [41, 42]

const NEAR = [0.8, 1.25]
const STRETCHES = [0.5, ...NEAR, 2, 4]
const FAR = [10, 50]
const PITCHES = [-12, -5, 5, 12]
/** how far out what does not sustain is stretched */
const FAR_KINDS: readonly string[] = ['tones', 'noise']

/** An attack, with what it brings, seconds before and behind it. */
const AROUND = { before: 0.03, behind: 0.12 }

interface Case {
  readonly item: string
  readonly condition: string
  readonly stretch: number
  readonly semitones: number
  readonly floor: number
  readonly textbook: number
  /** dB from the ideal, by method */
  readonly distances: Readonly<Record<string, number>>
  readonly best: string
  readonly advised: string
  readonly figures: Figures
  /** the distance of the best around attacks and elsewhere; undefined where there is none of it */
  readonly around?: number
  readonly between?: number
}

function* casesOf(item: IdealItem, known: readonly Case[]): Generator<Case> {
  const source = item.play(AS_WRITTEN)
  const tryOn = triedOn(source)
  const conditions = [
    ...[...STRETCHES, ...(FAR_KINDS.includes(item.kind) ? FAR : [])].map((stretch) => playingOf(item, { stretch })),
    ...PITCHES.map((semitones) => playingOf(item, { semitones })),
  ]
  for (const played of conditions) {
    if (known.some((one) => one.item === item.id && one.condition === labelOf(played))) continue
    const { stretch, semitones } = played
    const ideal = idealOf(item, played)
    const floor = spectralDistance(item.play({ ...played, seed: 3 }).audio, ideal.audio)
    const textbook = Math.min(
      ...textbooks.map((kind) => spectralDistance(renderTextbook(kind, source.audio, stretch, semitones), ideal.audio)),
    )
    const tried = tryOn(played, ideal)
    const best = tried.reduce((a, b) => (b.distance < a.distance ? b : a))
    const nearAttack = (seconds: number) =>
      ideal.attacks.some((at) => seconds >= at - AROUND.before && seconds < at + AROUND.behind)
    const far = (looksAt: (seconds: number) => boolean) => spectralDistance(best.result, ideal.audio, looksAt)
    yield {
      item: item.id,
      condition: labelOf(played),
      stretch,
      semitones,
      floor,
      textbook,
      distances: Object.fromEntries(tried.map(({ methodId, distance }) => [methodId, distance])),
      best: best.methodId,
      advised: rankTrials(tried)[0]?.methodId as string,
      figures: judge(best.result, ideal, source, item.kind),
      ...(ideal.attacks.length > 0 && { around: far(nearAttack) }),
      between: far((seconds) => !nearAttack(seconds)),
    }
  }
}

/** Cases lie beside the program that came to them: what was broken off goes on, another program begins anew. */
function casesFile(number: number): string {
  const program = process.argv[1] as string
  const hash = createHash('sha256').update(readFileSync(program)).digest('hex').slice(0, 16)
  return join(dirname(program), `held-${hash}-${number}.jsonl`)
}

/** The cases that are there, of all kinds. A line that was broken off is made again. */
function casesIn(file: string): Case[] {
  const lines = existsSync(file) ? readFileSync(file, 'utf8').split('\n') : []
  const whole = lines.slice(0, -1)
  if (lines.length > 0) writeFileSync(file, whole.map((line) => `${line}\n`).join(''))
  return whole.map((line) => JSON.parse(line) as Case)
}

/** Make the cases of the items with a number that are not there yet. */
export function makeHeldCases(number: number, kinds: readonly string[]) {
  const file = casesFile(number)
  const known = casesIn(file)
  for (const kind of scoreKinds)
    if (kinds.includes(kind))
      for (const one of casesOf(drawnItem(kind, number), known)) appendFileSync(file, `${JSON.stringify(one)}\n`)
}

const ranges: readonly (readonly [string, (one: Case) => boolean])[] = [
  ['0.8–1.25 ×', ({ stretch, semitones }) => semitones === 0 && NEAR.includes(stretch)],
  ['0.5–4 ×', ({ stretch, semitones }) => semitones === 0 && STRETCHES.includes(stretch)],
  ['10–50 ×', ({ stretch }) => FAR.includes(stretch)],
  ['±5, ±12 st', ({ semitones }) => semitones !== 0],
]

const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
const db = (value: number | undefined) => (value === undefined || Number.isNaN(value) ? '–' : value.toFixed(2))
const distanceBy = (methodId: string, one: Case) => one.distances[methodId] as number

/** What one choice for all of these cases comes to: the method of least mean distance. */
function bestSingle(cases: readonly Case[]) {
  const all = freeMethods.map(({ id }) => ({ id, distance: mean(cases.map((one) => distanceBy(id, one))) }))
  return all.reduce((a, b) => (b.distance < a.distance ? b : a))
}

function printCases(cases: readonly Case[], name: string, range: string) {
  if (cases.length === 0) return
  const best = cases.map((one) => distanceBy(one.best, one))
  const textbook = mean(cases.map((one) => one.textbook))
  const single = bestSingle(cases)
  const row = [
    name,
    range,
    cases.length,
    db(mean(cases.map((one) => one.floor))),
    db(textbook),
    db(mean(best)),
    db(mean(best) / textbook),
    `${single.id} ${db(single.distance)}`,
    db(mean(cases.map((one) => distanceBy(one.advised, one)))),
  ]
  console.log(`| ${row.join(' | ')} |`)
}

const isGood = (one: Case) =>
  distanceBy(one.advised, one) <= Math.max(1.1 * distanceBy(one.best, one), distanceBy(one.best, one) + 0.1)

/** Whether two thirds of all methods would have been better. */
const isWorstThird = (one: Case) => {
  const all = Object.values(one.distances)
  return all.filter((distance) => distance < distanceBy(one.advised, one)).length >= (2 / 3) * all.length
}

const shown = {
  slipMs: 'slip ms',
  lost: 'lost',
  added: 'added',
  flutterDb: 'flutter dB',
  detuneCents: 'detune ct',
  grossPercent: 'gross %',
  modulationDb: 'modulation dB',
} satisfies Readonly<Partial<Record<keyof Figures, string>>>

function printTables(cases: readonly Case[]) {
  console.log(`# How close the methods come on sounds held back

Made by \`npm run quality -- --held\`. The sounds are drawn by \`testing/scores\` with the numbers ${HELD_NUMBERS.join(' and ')}, which nothing was fitted to:
they are looked at for this table alone. Every method but Varispeed renders each; _distance_ is dB from the ideal answer, as in
[quality.md](quality.md); two playings of the ideal are apart by the _floor_; _textbook_ is the best plain form of each case.
_Best_ is our best method of each case, _share_ that over the textbook's, _best single_ the one method that does best over all cases of the row,
_chosen_ what advice names, which measures results and never sees the ideal. Voices and cries keep their formants when the pitch changes.

| kind | range | cases | floor | textbook | best | share | best single | chosen |
| --- | --- | --- | --- | --- | --- | --- | --- | --- |`)
  for (const [range, isIn] of ranges) {
    printCases(cases.filter(isIn), '**all**', range)
    for (const kind of scoreKinds)
      printCases(
        cases.filter((one) => isIn(one) && one.item.startsWith(`${kind} `)),
        kind,
        range,
      )
  }
  console.log(`
## One choice

_Right_: the best, or within 10 % or 0.1 dB of it. _Worst third_: two thirds of the methods would have been better.

| range | right | worst third |
| --- | --- | --- |`)
  for (const [range, isIn] of ranges) {
    const own = cases.filter(isIn)
    if (own.length === 0) continue
    const right = own.filter(isGood).length
    const share = ((100 * right) / own.length).toFixed(0)
    console.log(`| ${range} | ${right} of ${own.length} (${share} %) | ${own.filter(isWorstThird).length} |`)
  }
  const misses = cases.filter((one) => !isGood(one))
  console.log(`
| not right | target | chosen | distance | best | distance |
| --- | --- | --- | --- | --- | --- |`)
  for (const one of misses) {
    const row = [one.item, one.condition, one.advised, db(distanceBy(one.advised, one))]
    console.log(`| ${[...row, one.best, db(distanceBy(one.best, one))].join(' | ')} |`)
  }
  const off = cases.filter((one) => Math.abs(one.figures.loudness) > 0.3).length
  const names = (Object.keys(shown) as (keyof typeof shown)[]).filter((name) =>
    cases.some((one) => one.figures[name] !== undefined),
  )
  console.log(`
## Every case, by its best method

${off} of ${cases.length} are off by more than 0.3 LU. _Around_ is the distance from ${1000 * AROUND.before} ms before an attack to ${1000 * AROUND.behind} ms behind it, _between_ the rest.

| item | target | floor | textbook | best | distance | around | between | LU | ${names.map((name) => shown[name]).join(' | ')} |
| --- | --- | --- | --- | --- | --- | --- | --- | --- | ${names.map(() => '---').join(' | ')} |`)
  for (const one of cases) {
    const row = [
      one.item,
      one.condition,
      db(one.floor),
      db(one.textbook),
      one.best,
      db(distanceBy(one.best, one)),
      db(one.around),
      db(one.between),
      db(one.figures.loudness),
      ...names.map((name) => db(one.figures[name])),
    ]
    console.log(`| ${row.join(' | ')} |`)
  }
}

/** Print the tables; each number has a process of its own. */
export async function printHeld(kinds: readonly string[] = scoreKinds) {
  const all = await Promise.all(
    HELD_NUMBERS.map(async (number) => {
      const args = ['--held-cases', String(number), '--items', kinds.join(',')]
      const own = spawn(process.execPath, [process.argv[1] as string, ...args], { stdio: ['ignore', 2, 'inherit'] })
      const code = await new Promise<number | null>((resolve) => own.once('close', resolve))
      if (code !== 0) throw new Error(`the cases of number ${number} could not be made`)
      const made = casesIn(casesFile(number))
      return kinds.flatMap((kind) => made.filter(({ item }) => item.startsWith(`${kind} `)))
    }),
  )
  printTables(all.flat())
}
