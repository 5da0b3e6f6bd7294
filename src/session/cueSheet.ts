import { type LaidMix, type Metre, openMetre, openTempo } from '../core'
import { escaped } from '../host/markup'
import { beatsOfSection, metreOf, tempoLineOf } from './arrange'
import type { Session } from './schema'

/** What is played when, on a page to be printed: bars, sections, tempos, times, and what sounds in each. */

const time = (seconds: number) => {
  const tenths = Math.round(seconds * 10)
  return `${Math.floor(tenths / 600)}:${String(Math.floor((tenths % 600) / 10)).padStart(2, '0')}.${tenths % 10}`
}
const bpmText = (bpm: number) => String(Number(bpm.toFixed(2)))

interface Stretch {
  readonly name: string
  /** from 1 on */
  readonly bar: number
  readonly bars: number
}

/** The sections, and what lies before, between and behind them, in order; all of it where there are none. */
function stretchesOf(session: Session, endBeat: number): Stretch[] {
  const { barAt } = openMetre(metreOf(session))
  const last = barAt(Math.max(0, endBeat - 1e-6)).bar + 1
  const sections = [...session.sections].sort((a, b) => a.bar - b.bar)
  const found: Stretch[] = []
  let bar = 1
  for (const { name, bar: from, bars } of sections) {
    if (from > bar) found.push({ name: '', bar, bars: from - bar })
    found.push({ name, bar: from, bars })
    bar = Math.max(bar, from + bars)
  }
  if (bar <= last) found.push({ name: '', bar, bars: last - bar + 1 })
  return found
}

/** The tempo over a stretch: one figure where it is steady, else how it begins and ends. */
function tempoText(bpmAt: (beat: number) => number, from: number, to: number): string {
  const [first, end] = [bpmAt(from), bpmAt(to - 1e-6)]
  return Math.abs(first - end) < 0.005 ? bpmText(first) : `${bpmText(first)} → ${bpmText(end)}`
}

const metreText = (metre: Metre) =>
  (metre.length > 0 ? metre : [{ bar: 0, beatsPerBar: 4 }])
    .map(({ bar, beatsPerBar }, n) => (n === 0 ? `${beatsPerBar}/4` : `${beatsPerBar}/4 from bar ${bar + 1}`))
    .join(', ')

/**
 * @param laid  where the parts of the session lie.
 * @param title  what the sheet is of.
 */
export function cueSheet(session: Session, { parts, rate }: Pick<LaidMix, 'parts' | 'rate'>, title: string): string {
  const metre = metreOf(session)
  const { secondsAt, beatAt, bpmAt } = openTempo(tempoLineOf(session))
  const ends = new Map(parts.map(({ part, to }) => [part.id, beatAt(to / rate)]))
  const endBeat = Math.max(0, ...ends.values())
  const names = new Map(session.sources.map(({ id, name }) => [id, name]))
  const rows = stretchesOf(session, endBeat).map(({ name, bar, bars }) => {
    const { from, to } = beatsOfSection(session, { bar, bars })
    const sounds = session.rows.flatMap((row) => {
      const heard = session.parts.filter(
        (part) => part.row === row.id && part.startBeat < to - 1e-6 && (ends.get(part.id) ?? 0) > from + 1e-6,
      )
      const own = [...new Set(heard.map(({ source }) => names.get(source) ?? '?'))]
      return own.length > 0 ? [`<b>${escaped(row.name)}</b> ${escaped(own.join(', '))}`] : []
    })
    const [begins, lasts] = [secondsAt(from), secondsAt(to) - secondsAt(from)]
    return `<tr><th>${escaped(name) || '–'}</th><td>${bar}</td><td>${bars}</td><td>${time(begins)}</td><td>${time(lasts)}</td><td>${tempoText(bpmAt, from, to)}</td><td class="what">${sounds.join('<br>')}</td></tr>`
  })
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>${escaped(title)}: cue sheet</title>
<style>
body { margin: 32px; font: 14px/1.45 system-ui, sans-serif; color: #111; background: #fff }
h1 { margin: 0 0 4px; font-size: 24px }
p { margin: 0 0 18px; color: #444 }
table { width: 100%; border-collapse: collapse }
th, td { padding: 7px 10px 7px 0; border-top: 1px solid #bbb; text-align: left; vertical-align: top; font-variant-numeric: tabular-nums }
thead th { border-top: 0; font-weight: 500; font-size: 12px; color: #444 }
tr { break-inside: avoid }
b { font-weight: 600 }
@page { margin: 14mm }
@media print { body { margin: 0 } }
</style>
</head>
<body>
<h1>${escaped(title)}</h1>
<p>${metreText(metre)}, ${time(secondsAt(endBeat))} long</p>
<table>
<thead><tr><th>Section</th><th>Bar</th><th>Bars</th><th>At</th><th>Lasts</th><th>BPM</th><th>What sounds</th></tr></thead>
<tbody>
${rows.join('\n')}
</tbody>
</table>
</body>
</html>
`
}
