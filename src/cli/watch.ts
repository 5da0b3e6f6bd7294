import { statSync } from 'node:fs'
import { setTimeout as pause } from 'node:timers/promises'
import { createLoudnessMeter, frameCount, peakOf } from '../core'
import { decodeFile } from '../host/decodeFile'
import { errorText } from '../host/errorText'
import { places, readArguments, UsageError } from './args'
import { dbText, readBytes } from './files'
import type { Terminal } from './terminal'

/** how often the file is looked at, ms */
const LOOKS_MS = 100

/**
 * `watch FILE`: stands in for a program that is linked to a file. It tells what the file holds, and again whenever it
 * changes; a file that cannot be read at some moment is told of as well.
 */
export async function watchFile(words: readonly string[], { out, err }: Terminal) {
  const args = readArguments(words, ['times', 'seconds'], ['json'])
  const [file] = places(args, ['FILE']) as [string]
  const times = args.number('times') ?? Number.POSITIVE_INFINITY
  if (!(times >= 1)) throw new UsageError('--times takes a count from 1')
  const seconds = args.number('seconds') ?? Number.POSITIVE_INFINITY
  if (!(seconds > 0)) throw new UsageError('--seconds takes a time over 0')
  const until = Date.now() + seconds * 1000
  let last: string | undefined
  let told = 0
  while (told < times) {
    const seen = stampOf(file)
    if (seen !== last) {
      last = seen
      if (seen !== '') {
        told++
        try {
          const holds = await look(file)
          out(args.flag('json') ? JSON.stringify({ file, ...holds }) : textOf(file, holds))
        } catch (error) {
          const why = errorText(error)
          if (args.flag('json')) out(JSON.stringify({ file, broken: why }))
          else err(`zumbet: ${why}`)
        }
      } else err(`zumbet: ${file} is not there`)
    }
    if (Date.now() >= until) return
    if (told < times) await pause(LOOKS_MS)
  }
}

/** By what a file is known to be another one than before; empty where there is none. */
function stampOf(file: string): string {
  const stats = statSync(file, { throwIfNoEntry: false })
  return stats ? `${stats.ino} ${stats.size} ${stats.mtimeMs}` : ''
}

async function look(file: string) {
  const { audio, markers } = await decodeFile(await readBytes(file), file)
  const meter = createLoudnessMeter(audio.sampleRate, audio.channels.length)
  const frames = frameCount(audio)
  meter.add(audio.channels, frames)
  return {
    seconds: frames / audio.sampleRate,
    sampleRate: audio.sampleRate,
    channels: audio.channels.length,
    peak: peakOf(audio.channels),
    lufs: meter.finish(),
    cues: markers.cues.length,
  }
}

const textOf = (file: string, { seconds, sampleRate, channels, peak, lufs, cues }: Awaited<ReturnType<typeof look>>) =>
  `${file} holds ${seconds.toFixed(3)} s, ${sampleRate} Hz, ${channels} ${channels === 1 ? 'channel' : 'channels'}, ${
    Number.isFinite(lufs) ? `${lufs.toFixed(1)} LUFS` : 'silence'
  }, peak ${dbText(peak)} dB${cues > 0 ? `, ${cues} marks` : ''}`
