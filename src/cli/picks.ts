import { basename, join } from 'node:path'
import { cleanCut, createWavWriter, cutOut, momentsTask, NO_MARKERS, type SampleFormat, soundSource } from '../core'
import { places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { openSound, ownFormat, sourceOf } from './files'
import { makeFolder, partialFile } from './places'
import type { Terminal } from './terminal'

const MOST = 200
/** what around a cut is looked at, s */
const AROUND_SECONDS = 0.1

/** `picks IN --out DIR`: the moments that differ most from each other, as files. */
export async function writePicks(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, ['count', 'seconds', 'out', 'depth'], ['json'])
  const [input] = places(args, ['IN']) as [string]
  const folder = args.text('out')
  if (folder === undefined) throw new UsageError('--out DIR is needed')
  const count = args.number('count') ?? 8
  if (!(Number.isInteger(count) && count >= 1 && count <= MOST)) throw new UsageError(`--count takes 1 to ${MOST}`)
  const seconds = args.number('seconds') ?? 2
  if (!(seconds >= 0.05 && seconds <= 600)) throw new UsageError('--seconds takes 0.05 to 600')
  const depth = args.text('depth')
  if (depth !== undefined && !['16', '24', '32', '32f'].includes(depth))
    throw new UsageError('--depth takes 16, 24, 32 or 32f')
  makeFolder(folder)
  const sound = await openSound(input, err)
  const source = soundSource(sourceOf(sound))
  const { sampleRate, frames, channelCount } = source
  const moments = drive(momentsTask(source.part, frames, sampleRate, { count, seconds }), progress)
  if (moments.length < count)
    err(`zumbet: it holds ${moments.length} moments of ${seconds} s that can be told apart and do not overlap.`)
  const format = (depth ?? ownFormat(sound)) as SampleFormat
  const base = basename(input).replace(/\.[^.]+$/, '')
  const digits = String(moments.length).length
  const told = moments.map((moment, n) => {
    const margin = Math.round(AROUND_SECONDS * sampleRate)
    const start = Math.max(0, moment.from - margin)
    const around = source.part(start, Math.min(frames, moment.to + margin))
    const cut = cleanCut(around, moment.from - start, moment.to - start)
    const piece = cutOut(around, cut)
    const name = join(folder, `${base}_pick${String(n + 1).padStart(digits, '0')}.wav`)
    const length = cut.to - cut.from
    const sink = partialFile(name)
    try {
      const writer = createWavWriter({
        sampleRate,
        channelCount,
        frames: length,
        format,
        markers: NO_MARKERS,
        dither: 'flat',
        seed: 1,
      })
      sink.write(writer.header)
      sink.write(writer.encode(piece.channels, length))
      sink.write(writer.footer)
      sink.keep()
    } catch (error) {
      sink.discard()
      throw error
    }
    return {
      file: name,
      from: (start + cut.from) / sampleRate,
      seconds: length / sampleRate,
      unlike: moment.unlike,
      why: moment.why,
    }
  })
  if (args.flag('json')) out(JSON.stringify(told))
  else
    for (const { file, from, seconds: length, unlike, why } of told)
      out(
        `${file}: from ${from.toFixed(3)} s, ${length.toFixed(3)} s${unlike > 0 ? `, ${unlike.toFixed(1)} dB from the nearest` : ''}${why.length > 0 ? `, ${why.join(', ')}` : ''}`,
      )
}
