import { methods, renderBlock } from '../core'
import { spectralDistance } from '../core/testing/distance'
import { AS_WRITTEN, type IdealItem, idealItems, type Playing } from '../core/testing/ideals'
import { type Figures, judge } from '../core/testing/judge'
import { recipe } from '../core/testing/recipes'
import { renderTextbook, textbooks } from '../core/testing/textbook'
import { printAdvice } from './adviceTable'
import { printAgreement } from './agreementTable'
import { makeHeldCases, printHeld } from './heldTable'
import { printJoined } from './joinedTable'
import { printProven } from './provenTable'

/**
 * Every method against the ideal answers, beside the textbook forms: one Markdown table for each item. `--items a,b` and
 * `--stretches 1.25,2` and `--pitches 5` narrow it down; nothing is left out but what a method is no candidate for.
 */
const flag = (name: string) => {
  const at = process.argv.indexOf(`--${name}`)
  return at < 0 ? undefined : process.argv[at + 1]?.split(',')
}
const stretches = (flag('stretches') ?? ['0.5', '0.8', '0.9', '1.1', '1.25', '1.5', '2', '4', '10', '50']).map(Number)
const pitches = (flag('pitches') ?? ['-12', '-5', '-1', '1', '5', '12']).map(Number)
const wanted = flag('items')

/** Who is asked about what; the scene is everybody's. */
const candidates: Readonly<Record<IdealItem['kind'], readonly string[]>> = {
  hits: ['splice', 'wsola', 'vocoder', 'layered'],
  tones: ['vocoder', 'layered', 'wsola', 'drift'],
  line: ['cycle', 'wsola', 'vocoder'],
  noise: ['drift', 'layered', 'vocoder', 'grain'],
  scene: methods.map((method) => method.id).filter((id) => id !== 'varispeed'),
  mix: ['layered', 'vocoder', 'splice', 'wsola'],
}
/** so far out only these are meant, on material that has something to give there */
const far = ['vocoder', 'drift', 'layered']
const FAR_FROM = 10

const words: Readonly<Partial<Record<keyof Figures, string>>> = {
  distance: 'distance dB',
  loudness: 'LU',
  lost: 'lost',
  added: 'added',
  slipMs: 'slip ms',
  beforeDb: 'before dB',
  sharpnessLostDb: 'sharpness dB',
  detuneCents: 'detune ct',
  flutterDb: 'flutter dB',
  betweenDb: 'between dB',
  pitchCents: 'f0 ct',
  grossPercent: 'gross %',
  formantPercent: 'formants %',
  flatnessDb: 'flatness dB',
  lineDb: 'line dB',
  modulationDb: 'modulation dB',
  coherence: 'coherence',
  balanceDb: 'balance dB',
}
const text = (value: number | undefined) =>
  value === undefined || Number.isNaN(value) ? '–' : value.toFixed(Math.abs(value) >= 100 ? 0 : 2)

const AGAIN = '_again_'

interface Row {
  readonly condition: string
  readonly floor: number
  readonly textbook: string
  readonly textbookDistance: number
  readonly method: string
  readonly figures: Figures
}

function* rowsOf(item: IdealItem): Generator<Row> {
  const source = item.play(AS_WRITTEN)
  const conditions: (Playing & { label: string })[] = [
    ...stretches.map((stretch) => ({ ...AS_WRITTEN, stretch, label: `${stretch} ×` })),
    ...(item.kind === 'mix' || item.id === 'sweep'
      ? []
      : pitches.map((semitones) => ({
          ...AS_WRITTEN,
          semitones,
          keepFormants: item.id === 'voice' || item.id === 'glide',
          label: `${semitones > 0 ? '+' : ''}${semitones} st`,
        }))),
  ]
  for (const condition of conditions) {
    if (condition.stretch >= FAR_FROM && item.kind !== 'tones' && item.kind !== 'noise') continue
    const ideal = item.play(condition)
    const floor = spectralDistance(item.play({ ...condition, seed: 2 }).audio, ideal.audio)
    const baselines = textbooks.map((kind) => ({
      kind,
      distance: spectralDistance(
        renderTextbook(kind, source.audio, condition.stretch, condition.semitones),
        ideal.audio,
      ),
    }))
    const best = baselines.reduce((a, b) => (b.distance < a.distance ? b : a))
    // the ideal played again by other seeds: what of the figures is chance
    yield {
      condition: condition.label,
      floor,
      textbook: best.kind,
      textbookDistance: best.distance,
      method: AGAIN,
      figures: judge(item.play({ ...condition, seed: 2 }).audio, ideal, source, item.kind),
    }
    const ids = candidates[item.kind].filter((id) => condition.stretch < FAR_FROM || far.includes(id))
    for (const id of ids) {
      const result = renderBlock(
        source.audio,
        recipe(id, {
          stretch: condition.stretch,
          pitchSemitones: condition.semitones,
          formants: condition.keepFormants ? 'keep' : 'move',
        }),
      )
      yield {
        condition: condition.label,
        floor,
        textbook: best.kind,
        textbookDistance: best.distance,
        method: id,
        figures: judge(result, ideal, source, item.kind),
      }
    }
  }
}

if (process.argv.includes('--proven')) {
  printProven()
  process.exit(0)
}
if (process.argv.includes('--agree')) process.exit(printAgreement(wanted) === 0 ? 0 : 1)

const heldNumber = flag('held-cases')?.[0]
if (heldNumber !== undefined) {
  makeHeldCases(Number(heldNumber), wanted ?? [])
  process.exit(0)
}
if (process.argv.includes('--held')) {
  await printHeld(wanted)
  process.exit(0)
}

if (process.argv.includes('--joined')) {
  printJoined(
    (wanted ?? ['7', '8', '9', '10', '11', '12']).map(Number),
    (flag('stretches') ?? ['0.8', '1.25', '2']).map(Number),
  )
  process.exit(0)
}

if (process.argv.includes('--advice')) {
  printAdvice(
    wanted,
    (flag('stretches') ?? ['0.8', '1.25', '2', '10']).map(Number),
    (flag('pitches') ?? ['-5', '5']).map(Number),
  )
  process.exit(0)
}

console.log(`# How close the methods come to the ideal answers

Made by \`npm run quality\`. Each item is a score that is played again at the new tempo or pitch; that is the ideal. _Distance_ is
the mean difference of log spectra over three resolutions; two playings of the ideal with other seeds are apart by the
_floor_. _Textbook_ is the best of plain overlap-add, plain similarity overlap-add and a plain phase vocoder. **Bold** is our
best; _half_ says whether it lies at most half as far above the floor as the textbook's best; _again_ is the ideal played by
other seeds, so what its figures show is chance. Voice and glide keep their
formants when the pitch changes. \`src/core/testing/judge.ts\` says how each figure is taken.
[held.md](held.md) has the same of sounds that nothing was fitted to.

What the figures leave out: an ideal attack that the detector misses in the ideal itself is not counted as lost; one that it
finds by mistake in the ideal or in the source is not counted as added; energy before an attack is counted over the larger of
source and ideal; partials are followed only where no other note or drum comes near; tones start at phases of the seed's
choosing, which lifts the floor of a chord.
`)
for (const item of idealItems) {
  if (item.id === 'sweep' || (wanted && !wanted.includes(item.id))) continue
  const rows = [...rowsOf(item)]
  const names = (Object.keys(words) as (keyof Figures)[]).filter((name) =>
    rows.some((row) => row.figures[name] !== undefined),
  )
  console.log(`## ${item.id}\n`)
  console.log(`| condition | floor | textbook | method | half | ${names.map((name) => words[name]).join(' | ')} |`)
  console.log(`| --- | --- | --- | --- | --- | ${names.map(() => '---').join(' | ')} |`)
  for (const row of rows) {
    const same = rows.filter((other) => other.condition === row.condition && other.method !== AGAIN)
    const isBest = row.method !== AGAIN && same.every((other) => other.figures.distance >= row.figures.distance)
    const goal = Math.max(0, row.floor + (row.textbookDistance - row.floor) / 2)
    const half = isBest ? (row.figures.distance <= goal ? 'yes' : 'no') : ''
    const name = isBest ? `**${row.method}**` : row.method
    console.log(
      `| ${row.condition} | ${text(row.floor)} | ${text(row.textbookDistance)} | ${name} | ${half} | ${names.map((n) => text(row.figures[n])).join(' | ')} |`,
    )
  }
  console.log('')
}
