import { readFileSync, rmSync } from 'node:fs'
import { basename, join } from 'node:path'
import { BlobWriter, Uint8ArrayReader, ZipWriter } from '@zip.js/zip.js'
import {
  containers,
  fileBase,
  type Knowledge,
  know,
  mapMarkers,
  markersAtRate,
  PITCH_RANGE,
  planOf,
  type Recipe,
  soundSource,
  suggestMethod,
} from '../core'
import { type InstrumentZone, instrumentText, sampleName, zonesOf } from '../session/instrumentText'
import { keyText, readRoot } from '../session/notesFile'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { openSound, sourceOf } from './files'
import { outputFlags } from './output'
import { makeFolder, writeWhole } from './places'
import { rootOf } from './play'
import { RENDER_FLAGS, recipeFrom } from './recipeFlags'
import { renderFile } from './render'
import type { Terminal } from './terminal'
import { threadsFrom } from './threads'

const USUAL_EVERY = 3
/** what files of loops say where nobody knew a root */
const UNSAID_ROOT = 60
const SAMPLES = 'samples'

/** `instrument IN OUTDIR`: a sound at many keys, and the text by which samplers play it. */
export async function writeInstrument(words: readonly string[], terminal: Terminal) {
  const { out, err, progress } = terminal
  const args = readArguments(
    words,
    [...RENDER_FLAGS, 'stretch', 'map', 'root', 'every', 'from', 'to', 'play', 'attack', 'release', 'workers'],
    ['zip'],
  )
  const [input, folder] = places(args, ['IN', 'OUTDIR']) as [string, string]
  const written = outputFlags(args)
  if (!containers[written.container].exact) throw new UsageError('samples of an instrument are WAV or FLAC files')
  const asked = askedFrom(args)
  const threads = threadsFrom(args)
  const sound = await openSound(input, err)
  const source = soundSource(sourceOf(sound))
  let known: Knowledge | undefined
  const knowledge = () => {
    known ??= drive(know(source, { file: basename(input) }), progress)
    return known
  }
  const { rootNote } = sound.markers
  const root = asked.root ?? (rootNote === UNSAID_ROOT ? undefined : rootNote) ?? rootOf(knowledge(), input)
  const stretch = args.number('stretch') ?? 1
  const method = args.text('method') ?? suggestMethod(knowledge().material, stretch).methodId
  const recipe = await recipeFrom(args, method, stretch)
  const base = fileBase(basename(input))
  const keys = zonesOf(root, asked.every, asked.from ?? root - 12, asked.to ?? root + 12)
  const far = keys.find(({ key }) => !within(recipe.pitchSemitones + key - root))
  if (far)
    throw new UsageError(
      `${keyText(far.key)} is ${Math.round(far.key - root)} semitones from the root, ${keyText(root)}: ±${PITCH_RANGE.max} can be made`,
    )
  err(
    `zumbet: root ${keyText(root)}${asked.root === undefined ? ' (found)' : ''}, method ${method}, ${keys.length} samples`,
  )
  makeFolder(join(folder, SAMPLES))
  const zones: InstrumentZone[] = []
  for (const [n, zone] of keys.entries()) {
    const own: Recipe = { ...recipe, pitchSemitones: recipe.pitchSemitones + zone.key - root }
    const file = `${SAMPLES}/${base}_${sampleName(zone.key)}.${containers[written.container].ending}`
    // the root moves with the pitch: each file ends up at its own key
    const markers = { ...sound.markers, rootNote: zone.key - Math.round(own.pitchSemitones) }
    const quiet = {
      ...terminal,
      out: () => undefined,
      progress: (share: number) => progress((n + share) / keys.length),
    }
    await renderFile({ ...sound, markers }, own, written, join(folder, file), threads, quiet)
    const { map } = planOf(own, source)
    const times = (written.rate ?? source.sampleRate) / source.sampleRate
    const [loop] = markersAtRate(mapMarkers(sound.markers, map), times).loops
    const { startFrame: start = 0, endFrame: end = Math.round(map.outputFrames * times) } = loop ?? {}
    zones.push({ ...zone, file, loop: { start, end } })
  }
  const text = instrumentText({
    name: base,
    zones,
    play: asked.play,
    attackMs: asked.attackMs,
    releaseMs: asked.releaseMs,
  })
  const place = join(folder, `${base}.sfz`)
  writeWhole(place, text)
  out(`${place}: ${zones.length} samples, ${keyText(zones[0]?.low ?? 0)} to ${keyText(zones.at(-1)?.high ?? 127)}`)
  if (args.flag('zip')) {
    const files = [...zones.map(({ file }) => file), `${base}.sfz`]
    const zip = join(folder, `${base}.zip`)
    writeWhole(zip, await zipped(folder, files))
    for (const file of files) rmSync(join(folder, file))
    rmSync(join(folder, SAMPLES), { recursive: true })
    out(`${zip}: ${files.length} files`)
  }
}

const within = (semitones: number) => semitones >= PITCH_RANGE.min && semitones <= PITCH_RANGE.max

function askedFrom(args: Arguments) {
  const key = (name: string) => {
    const text = args.text(name)
    if (text === undefined) return undefined
    const found = readRoot(text)
    if (found === undefined) throw new UsageError(`--${name} takes a note, like A3 or F#2, or Hz, not "${text}"`)
    return found
  }
  const ms = (name: string, usual: number) => {
    const value = args.number(name) ?? usual
    if (!(value >= 0 && value <= 30_000)) throw new UsageError(`--${name} takes 0 to 30000`)
    return value
  }
  const every = args.number('every') ?? USUAL_EVERY
  if (!(Number.isInteger(every) && every >= 1 && every <= 24)) throw new UsageError('--every takes 1 to 24 semitones')
  const play = args.text('play') ?? 'hold'
  if (play !== 'hold' && play !== 'through' && play !== 'loop')
    throw new UsageError('--play takes hold, through or loop')
  const [from, to] = [key('from'), key('to')]
  if (from !== undefined && to !== undefined && from > to) throw new UsageError('--to takes a note at or above --from')
  return { root: key('root'), every, play, from, to, attackMs: ms('attack', 0), releaseMs: ms('release', 60) } as const
}

async function zipped(folder: string, files: readonly string[]): Promise<Uint8Array> {
  const zip = new ZipWriter(new BlobWriter('application/zip'), { level: 0, useWebWorkers: false })
  for (const file of files) await zip.add(file, new Uint8ArrayReader(new Uint8Array(readFileSync(join(folder, file)))))
  return new Uint8Array(await (await zip.close()).arrayBuffer())
}
