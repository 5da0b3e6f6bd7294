import { basename } from 'node:path'
import { grooveJson, knowRhythm, MOST_GROOVE_BARS, soundSource, takeGroove } from '../core'
import { grooveMidi } from '../session/grooveFile'
import { places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { openSound, sourceOf } from './files'
import { beatsFrom, gridFrom, hitsOf } from './offGrid'
import { checkPlace, writeWhole } from './places'
import type { Terminal } from './terminal'

/** `groove IN`: where a sound's hits lie off the grid, step by step. */
export async function tellGroove(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, ['grid', 'bars', 'bpm', 'first-beat', 'midi'], ['json'])
  const [input] = places(args, ['IN']) as [string]
  const grid = gridFrom(args)
  const bars = args.number('bars') ?? 1
  if (!(Number.isInteger(bars) && bars >= 1 && bars <= MOST_GROOVE_BARS))
    throw new UsageError(`--bars takes 1 to ${MOST_GROOVE_BARS}`)
  const midi = args.text('midi')
  if (midi !== undefined && !/\.midi?$/i.test(midi)) throw new UsageError(`"${midi}" must end in .mid`)
  if (midi !== undefined) checkPlace(midi)
  const source = soundSource(sourceOf(await openSound(input, err)))
  const rhythm = drive(knowRhythm(source, { file: basename(input) }), progress)
  const hits = hitsOf(rhythm, source.sampleRate)
  const { own } = beatsFrom(args, input, rhythm, hits)
  const groove = takeGroove(hits, own, { grid, bars, beatsPerBar: rhythm.tempo.beatsPerBar })
  const name = basename(input).replace(/\.[^.]*$/, '')
  if (midi !== undefined) writeWhole(midi, grooveMidi(groove))
  if (args.flag('json')) {
    out(grooveJson(groove, name).trimEnd())
    return
  }
  const ms = (beats: number) => ((60_000 * beats) / groove.bpm).toFixed(1)
  out(`${input}: ${grid} over ${bars} ${bars === 1 ? 'bar' : 'bars'} at ${Number(groove.bpm.toFixed(3))} BPM`)
  groove.offsets.forEach((offset, step) => {
    if (offset === null) return
    out(
      `  step ${String(step + 1).padStart(3)}  ${ms(offset).padStart(7)} ms  ± ${ms(groove.spreads[step] ?? 0)} ms  ${groove.counts[step]} hits`,
    )
  })
}
