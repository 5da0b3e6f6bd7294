import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { mutated } from '../../core/testing/mutate'
import {
  aiffFile,
  type Coding,
  cafFile,
  cafMarks,
  chunk,
  joined,
  type Samples,
  u32,
  wavFile,
} from '../../core/testing/soundFiles'

/** The whole files that broken ones are made of: every kind that is read. */

export interface Whole {
  readonly kind: string
  readonly file: string
  readonly bytes: Uint8Array
}

const FIXTURES = ['flac', 'mp3', 'ogg', 'opus', 'm4a', 'aiff'] as const

const tone = (coding: Coding, channels: number): Samples =>
  Array.from({ length: channels }, (_, c) =>
    Array.from({ length: 700 }, (_, i) =>
      coding === 'µ' || coding === 'A' ? (i * (c + 3)) & 255 : Math.round(90 * Math.sin(i / (7 + c))) / 128,
    ),
  )

/** @param folder  where the fixtures of the browser tests lie. */
export function wholeFiles(folder: string): Whole[] {
  const cue = chunk('cue ', joined(u32(1, true), u32(1, true), new Uint8Array(16), u32(20, true)))
  const label = chunk('LIST', joined('adtl', chunk('labl', joined(u32(1, true), 'knock\0'))))
  const sampler = chunk(
    'smpl',
    joined(new Uint8Array(28), u32(1, true), new Uint8Array(12), u32(5, true), u32(300, true), new Uint8Array(12)),
  )
  const wavs = (['u8', '16', '24', '32', '24in32', '32f', '64f', 'µ', 'A'] as const).map(
    (coding, n): Whole => ({
      kind: 'WAV',
      file: 'a.wav',
      bytes: wavFile(tone(coding, 1 + (n % 3)), coding, {
        extensible: n % 2 === 1,
        riff: n === 3 ? 'RF64' : n === 5 ? 'BW64' : 'RIFF',
        ...(n % 3 === 0 && { behind: joined(cue, label, sampler) }),
      }),
    }),
  )
  const aiffs = (
    [
      ['16', undefined],
      ['24', 'in24'],
      ['16', 'sowt'],
      ['32f', 'fl32'],
      ['64f', 'FL64'],
      ['µ', 'ulaw'],
      ['A', 'alaw'],
      ['16', 'ima4'],
      ['16', 'GSM '],
    ] as const
  ).map(
    ([coding, packing], n): Whole => ({
      kind: packing === 'ima4' || packing === 'GSM ' ? 'AIFF packed' : 'AIFF',
      file: 'a.aif',
      bytes: aiffFile(tone(coding, 1 + (n % 2)), coding, {
        rate: n === 2 ? 22_254.5454 : 44_100,
        ...(packing && { packing }),
        // what is packed holds fewer bytes than frames
        ...((packing === 'ima4' || packing === 'GSM ') && { frames: 640 }),
      }),
    }),
  )
  const cafs = (['16', '24', '32f', '64f', 'µ', 's8'] as const).map(
    (coding, n): Whole => ({
      kind: 'CAF',
      file: 'a.caf',
      bytes: cafFile(tone(coding, 1 + (n % 2)), coding, {
        little: n % 2 === 0,
        open: n === 3,
        before: cafMarks([10, 20]),
      }),
    }),
  )
  const fixtures = FIXTURES.map(
    (ending): Whole => ({
      kind:
        ending === 'aiff'
          ? 'AIFF'
          : ending === 'ogg'
            ? 'Ogg Vorbis'
            : ending === 'opus'
              ? 'Ogg Opus'
              : ending.toUpperCase(),
      file: `gull.${ending}`,
      bytes: new Uint8Array(readFileSync(join(folder, `gull.${ending}`))),
    }),
  )
  return [...wavs, ...aiffs, ...cafs, ...fixtures]
}

/** Of every kind the same share: formats with many forms take turns among them. */
export function brokenFile(whole: readonly Whole[], n: number): Whole {
  const kinds = [...new Set(whole.map(({ kind }) => kind))]
  const kind = kinds[n % kinds.length]
  const forms = whole.filter((one) => one.kind === kind)
  const form = forms[Math.floor(n / kinds.length) % forms.length] as Whole
  const other = whole[(n * 7) % whole.length] as Whole
  return { ...form, bytes: mutated(form.bytes, other.bytes, n + 1) }
}
