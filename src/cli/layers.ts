import { basename, join } from 'node:path'
import {
  analyseTask,
  createWavWriter,
  layersInParts,
  type Markers,
  peakOf,
  type SampleFormat,
  type SoundSource,
  soundSource,
} from '../core'
import { places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { dbText, formatName, openSound, sourceOf } from './files'
import { makeFolder, partialFile } from './places'
import type { Terminal } from './terminal'

/** of the source, looked at together */
const PART_SECONDS = 30
/** share of the work that is looking for attacks */
const ANALYSING = 0.2
const NAMES = ['sines', 'attacks', 'noise'] as const

/** `layers IN OUTDIR`: the three layers of a sound as files that add up to it. */
export async function writeLayers(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, ['depth'], [])
  const [input, folder] = places(args, ['IN', 'OUTDIR']) as [string, string]
  const depth = args.text('depth') ?? '32f'
  if (!['16', '24', '32', '32f'].includes(depth)) throw new UsageError('--depth takes 16, 24, 32 or 32f')
  const format = depth as SampleFormat
  makeFolder(folder)
  const sound = await openSound(input, err)
  const source = soundSource(sourceOf(sound))
  const base = basename(input).replace(/\.[^.]+$/, '')
  const files = NAMES.map((name) => openLayer(join(folder, `${base}_${name}.wav`), source, sound.markers, format))
  try {
    const { attacks } = drive(analyseTask(source, ['attacks']), progress, { from: 0, to: ANALYSING })
    const frames = (attacks ?? []).map(({ frame }) => frame)
    for (const part of layersInParts(source, frames, PART_SECONDS)) {
      files.forEach((file, n) => {
        file.add(part[NAMES[n] as (typeof NAMES)[number]].channels, part.to - part.from)
      })
      progress(ANALYSING + ((1 - ANALYSING) * part.to) / source.frames)
    }
    for (const file of files) file.finish()
  } catch (error) {
    for (const file of files) file.discard()
    throw error
  }
  for (const { name, peak } of files)
    out(`${name}: ${source.frames} frames, ${formatName(format)}, peak ${dbText(peak())} dBFS`)
}

function openLayer(
  name: string,
  { sampleRate, channelCount, frames }: SoundSource,
  markers: Markers,
  format: SampleFormat,
) {
  const sink = partialFile(name)
  const dither = 'flat'
  const writer = createWavWriter({ sampleRate, channelCount, frames, format, markers, dither, seed: 1 })
  let peak = 0
  sink.write(writer.header)
  return {
    name,
    peak: () => peak,
    add(channels: readonly Float32Array[], count: number) {
      peak = Math.max(peak, peakOf(channels))
      sink.write(writer.encode(channels, count))
    },
    finish() {
      sink.write(writer.footer)
      sink.keep()
    },
    discard: sink.discard,
  }
}
