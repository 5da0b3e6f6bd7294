import { mkdir } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { AppError, analyse, createLayers, frameCount, peakOf, type SampleFormat, writeWav } from '../core'
import { places, readArguments, UsageError } from './args'
import { dbText, formatName, open, partialFile } from './files'

export async function writeLayers(words: readonly string[], out: (line: string) => void, err: (line: string) => void) {
  const args = readArguments(words, ['depth'], [])
  const [input, folder] = places(args, ['IN', 'OUTDIR']) as [string, string]
  const depth = args.text('depth') ?? '32f'
  if (!['16', '24', '32', '32f'].includes(depth)) throw new UsageError('--depth takes 16, 24, 32 or 32f')
  const { audio, markers } = await open(input, err)
  const { attacks } = analyse(audio, ['attacks'])
  const layers = createLayers(
    audio,
    (attacks ?? []).map((attack) => attack.frame),
  )
  layers.ensure(0, frameCount(audio))
  try {
    await mkdir(folder, { recursive: true })
  } catch (error) {
    throw new AppError('file/unwritable', { file: folder, why: String((error as NodeJS.ErrnoException).code) }, error)
  }
  const base = basename(input).replace(/\.[^.]+$/, '')
  for (const name of ['sines', 'attacks', 'noise'] as const) {
    const file = join(folder, `${base}_${name}.wav`)
    const format = depth as SampleFormat
    const sink = partialFile(file)
    try {
      sink.write(writeWav(layers[name], { format, markers, dither: format === '16', seed: 1 }))
      sink.keep()
    } catch (error) {
      sink.discard()
      throw error
    }
    out(
      `${file}: ${frameCount(audio)} frames, ${formatName(format)}, peak ${dbText(peakOf(layers[name].channels))} dBFS`,
    )
  }
}
