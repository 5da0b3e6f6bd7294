import { AppError, STEADY_PERCENT, tempoOfBeats } from '../core'
import { SURE_FROM } from '../session'
import { sessionTempo, type TempoFile, tempoJson, tempoMidi } from '../session/tempoFile'
import { knowFile } from './analyse'
import { places, readArguments, UsageError } from './args'
import { checkPlace, writeWhole } from './places'
import { findSession, sessionAsMeant } from './sessionPlace'
import type { Terminal } from './terminal'
import { threadsFrom } from './threads'

/** `tempo IN|SESSION OUT.json|OUT.mid`: the tempo line that a performance or a session has, as a file. */
export async function writeTempo(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, ['every', 'workers'], [])
  const [input, output] = places(args, ['IN|SESSION', 'OUT.json|OUT.mid']) as [string, string]
  const every = args.text('every') ?? 'beat'
  if (every !== 'beat' && every !== 'bar') throw new UsageError('--every takes beat or bar')
  if (!/\.(json|midi?)$/i.test(output))
    throw new UsageError(`the tempo is written as JSON or MIDI: "${output}" must end in .json or .mid`)
  const threads = threadsFrom(args)
  checkPlace(output)
  const isSession = /\.(json|zumbet)$/i.test(input)
  const tempo = isSession ? await ofSession(input) : await ofPerformance(input, every, () => threads, { err, progress })
  writeWhole(output, /\.json$/i.test(output) ? tempoJson(tempo) : tempoMidi(tempo))
  const tempi = tempo.tempoLine.map(({ bpm }) => bpm)
  const [least, most] = [Math.min(...tempi), Math.max(...tempi)].map((bpm) => Number(bpm.toFixed(2)))
  out(`${output}: ${tempi.length} events, ${least === most ? least : `${least} to ${most}`} BPM`)
}

async function ofSession(file: string): Promise<TempoFile> {
  const found = await findSession(file)
  try {
    const session = sessionAsMeant(found, file)
    return sessionTempo(session)
  } finally {
    await found.close()
  }
}

async function ofPerformance(
  file: string,
  every: 'beat' | 'bar',
  threads: () => number,
  { err, progress }: Pick<Terminal, 'err' | 'progress'>,
): Promise<TempoFile> {
  const { knowledge, warnings } = await knowFile(file, { threads, progress })
  for (const warning of warnings) err(`zumbet: ${warning}`)
  const { bpm, beats, confidence, firstBar, beatsPerBar, drift } = knowledge.tempo
  const own = beats.slice(firstBar)
  if (bpm === undefined || confidence < SURE_FROM || own.length < 2) throw new AppError('tempo/unsure', { file })
  return {
    tempoLine:
      drift.percent <= STEADY_PERCENT ? [{ beat: 0, bpm }] : tempoOfBeats(own, every === 'bar' ? beatsPerBar : 1),
    metre: [{ bar: 0, beatsPerBar }],
    firstBeat: own[0],
  }
}
