import { createHash } from 'node:crypto'
import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import {
  type AudioBlock,
  analyse,
  finish,
  frameCount,
  MEASURE_VERSION,
  needsOf,
  peakOf,
  planOf,
  readSource,
  readWav,
  soundSource,
  type Trial,
  trialTask,
} from '../core'
import { contentKey, firstFilm, firstSession, firstSources, recipeOf, type Source } from '../session'
import { filmSound } from './demoFilm'

/**
 * Reads the demo sounds in the folder given, and measures the lanes of the one that a first visit shows: what it would find
 * out anyway, before anything can be told. It writes facts.json of all, and trials.json of that one.
 */
const folder = process.argv[2]
if (!folder) throw new Error('demoTrials: give a folder')

const factsOf = (bytes: Uint8Array, audio: AudioBlock, container: string) => ({
  frames: frameCount(audio),
  sampleRate: audio.sampleRate,
  channels: audio.channels.length,
  container,
  peak: peakOf(audio.channels),
  hash: createHash('sha256').update(bytes).digest('hex'),
})

const facts: Record<string, Source['facts']> = {}
const trials: Record<string, Trial> = {}
const [first] = firstSources
for (const source of firstSession().sources.filter(({ file }) => file.endsWith('.wav'))) {
  const { file } = source
  const bytes = await readFile(join(folder, file))
  const { audio, depth } = readWav(bytes, file)
  const sound = soundSource(audio)
  const own = { ...factsOf(bytes, audio, 'WAV'), ...(depth && { depth }) }
  facts[file] = own
  if (source.id !== first?.id) continue
  const recipes = source.variants.map((variant) => recipeOf({ ...source, facts: own }, variant))
  const analysis = analyse(sound, [...new Set(recipes.flatMap(needsOf))])
  const reading = finish(readSource(audio, analysis.attacks))
  for (const recipe of recipes) {
    const span = { from: 0, to: planOf(recipe, sound, analysis.attacks).map.outputFrames }
    const key = contentKey({ ...source, facts: own }, MEASURE_VERSION, recipe)
    trials[key] = finish(trialTask(sound, recipe, span, analysis, reading))
  }
}
const film = await readFile(join(folder, firstFilm.file))
const { audio, picture } = await filmSound(film)
facts[firstFilm.file] = { ...factsOf(film, audio, 'WebM'), picture }
await writeFile(join(folder, 'facts.json'), JSON.stringify(facts))
await writeFile(join(folder, 'trials.json'), JSON.stringify(trials))
