import { readdir, stat } from 'node:fs/promises'
import { basename, join, relative } from 'node:path'
import { AppError, finish, type Knowledge, keyName, know } from '../core'
import { decodeFile } from '../host/decodeFile'
import { errorText } from '../host/errorText'
import { acceptedEndings } from '../host/sniff'
import { taggedTempo } from '../host/taggedTempo'
import { places, readArguments, UsageError } from './args'
import { readBytes } from './files'

type Say = (line: string) => void

const round = (value: number, digits: number) => Number(value.toFixed(digits))

/** `analyse IN`: one sound, or every sound of a folder and the folders in it, a line each. */
export async function analyseSounds(words: readonly string[], out: Say, err: Say) {
  const args = readArguments(words, ['sensitivity'], ['json'])
  const [input] = places(args, ['IN']) as [string]
  const sensitivity = args.number('sensitivity') ?? 50
  if (!(sensitivity >= 0 && sensitivity <= 100)) throw new UsageError('--sensitivity takes 0 to 100')
  const options = { sensitivity: sensitivity / 100, json: args.flag('json') }
  if (await isFolder(input)) await analyseFolder(input, options, out, err)
  else {
    const { knowledge, sampleRate } = await knowFile(input, options.sensitivity, err)
    if (options.json) out(JSON.stringify(plainForm(knowledge, sampleRate)))
    else tell(input, knowledge, sampleRate, out)
  }
}

async function isFolder(place: string): Promise<boolean> {
  return stat(place).then(
    (found) => found.isDirectory(),
    () => false,
  )
}

async function analyseFolder(
  folder: string,
  { sensitivity, json }: { sensitivity: number; json: boolean },
  out: Say,
  err: Say,
) {
  const names = await readdir(folder, { recursive: true })
  const files = names
    .filter((name) => acceptedEndings.some((ending) => name.toLowerCase().endsWith(`.${ending}`)))
    .filter((name) => !basename(name).startsWith('.'))
    .sort()
  if (files.length === 0) throw new AppError('folder/no-sounds', { folder })
  let bad = 0
  for (const name of files) {
    const file = join(folder, name)
    try {
      const { knowledge, sampleRate } = await knowFile(file, sensitivity, err)
      if (json) out(JSON.stringify({ file: relative(folder, file), ...plainForm(knowledge, sampleRate) }))
      else out(`${name}: ${inShort(knowledge)}`)
    } catch (error) {
      // one bad file loses none of the others
      bad++
      if (json) out(JSON.stringify({ file: relative(folder, file), error: errorText(error) }))
      err(`zumbet: ${errorText(error)}`)
    }
  }
  if (bad === files.length) throw new AppError('folder/none-readable', { folder, files: files.length })
}

export async function knowFile(file: string, sensitivity: number | undefined, err: Say) {
  const bytes = await readBytes(file)
  const decoded = await decodeFile(bytes, basename(file))
  for (const warning of decoded.warnings) err(`zumbet: ${errorText(new AppError(warning.code, warning.details))}`)
  const tagged = await taggedTempo(bytes)
  const knowledge = finish(
    know(decoded.audio, {
      file: basename(file),
      ...(tagged !== undefined && { taggedBpm: tagged }),
      ...(sensitivity !== undefined && { sensitivity }),
    }),
  )
  return { knowledge, decoded, sampleRate: decoded.audio.sampleRate }
}

/** What `--json` prints; its shape is a contract (docs/analysis.md). Seconds everywhere; null where there is no answer. */
function plainForm(knowledge: Knowledge, sampleRate: number) {
  const { attacks, tempo, pitch, material, loop } = knowledge
  return {
    attacks: attacks.map(({ frame, strength }) => ({
      seconds: round(frame / sampleRate, 6),
      strength: round(strength, 4),
    })),
    tempo: {
      bpm: tempo.bpm ?? null,
      confidence: round(tempo.confidence, 3),
      candidates: tempo.candidates.map(({ bpm, weight, evidence }) => ({ bpm, weight: round(weight, 3), evidence })),
      beats: tempo.beats.map((at) => round(at, 5)),
      beatsPerBar: tempo.beatsPerBar,
      firstBar: tempo.firstBar,
      drift: {
        percent: round(tempo.drift.percent, 2),
        bars: tempo.drift.bars.map(({ seconds, bpm }) => ({ seconds: round(seconds, 5), bpm })),
      },
    },
    pitch: {
      rootHz: pitch.rootHz === undefined ? null : round(pitch.rootHz, 3),
      key: keyName(pitch) ?? null,
      confidence: round(pitch.confidence, 3),
      tuningCents: round(pitch.tuningCents, 1),
    },
    material: {
      kind: material.kind,
      confidence: round(material.confidence, 3),
      shares: {
        sines: round(material.shares.sines, 4),
        attacks: round(material.shares.attacks, 4),
        noise: round(material.shares.noise, 4),
      },
      reasons: material.reasons,
    },
    loop: loop
      ? {
          bars: loop.bars,
          overhangMs: round(loop.overhangMs, 2),
          startSeconds: round(loop.startSeconds, 5),
          endSeconds: round(loop.endSeconds, 5),
        }
      : { bars: null, overhangMs: null, startSeconds: null, endSeconds: null },
  }
}

const percent = (share: number) => `${Math.round(100 * share)} %`

function inShort({ attacks, tempo, pitch, material, loop }: Knowledge): string {
  return [
    material.kind,
    tempo.bpm === undefined ? 'no tempo' : `${round(tempo.bpm, 2)} BPM (${percent(tempo.confidence)} sure)`,
    pitch.confidence < 0.3 ? 'no key' : `${keyName(pitch)} (${percent(pitch.confidence)} sure)`,
    ...(loop ? [`${loop.bars} bars, ${round(loop.overhangMs, 1)} ms over`] : []),
    `${attacks.length} attacks`,
  ].join(', ')
}

function tell(input: string, knowledge: Knowledge, sampleRate: number, out: Say) {
  const { attacks, tempo, pitch, material, loop } = knowledge
  out(`${input}: ${inShort(knowledge)}`)
  out(`  material  ${material.reasons.join('; ')}`)
  for (const { bpm, weight, evidence } of tempo.candidates.slice(0, 4))
    out(`  tempo     ${String(round(bpm, 2)).padEnd(7)} ${percent(weight).padStart(5)}  ${evidence.join('; ')}`)
  if (tempo.drift.percent > 0)
    out(
      `  drift     ${round(tempo.drift.percent, 1)} %: ${tempo.drift.bars.map(({ bpm }) => bpm.toFixed(1)).join(' ')}`,
    )
  if (pitch.root !== undefined)
    out(
      `  pitch     ${keyName(pitch)}, ${round(pitch.rootHz ?? 0, 1)} Hz, ${round(pitch.tuningCents, 0)} cents; ${pitch.reasons.join('; ')}`,
    )
  if (loop) out(`  loop      ${loop.bars} bars from ${round(loop.startSeconds, 3)} to ${round(loop.endSeconds, 3)} s`)
  for (const { frame, strength } of attacks)
    out(`  attack    ${(frame / sampleRate).toFixed(4)} s  ${percent(strength)}`)
}
