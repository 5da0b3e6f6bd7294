import {
  type Analysis,
  type AnalysisNeed,
  type Arrangement,
  addPart,
  amongKin,
  analyse,
  finish,
  type Knowledge,
  type KnowOptions,
  knowledgeOf,
  knowRhythm,
  knowTones,
  type LaidMix,
  type LaidPart,
  layMix,
  methodById,
  openPart,
  type PartVoice,
  type Rhythm,
  rowGains,
  type SoundSource,
  silence,
  sourceWithin,
  withRunUp,
} from '../core'
import { openSent, type SentSound } from './files'
import { keptThreads } from './threads'

/** A sound as threads hand it on: in memory that all see, or in a file that each reads; and the part of it. */
export interface GivenSound {
  readonly whole: SentSound
  readonly range: { readonly start: number; readonly end: number } | undefined
  /** of one of kin: all of them, the one that leads first, and which of them it is */
  readonly kin?: { readonly sounds: readonly SentSound[]; readonly own: number }
}

const wholeOf = ({ whole, kin }: GivenSound): SoundSource =>
  kin ? amongKin(kin.sounds.map(openSent), kin.own) : openSent(whole)

const partOf = (sound: SoundSource, { range }: GivenSound) =>
  range ? sourceWithin(sound, range.start, range.end) : sound

/** What is asked of a sound: what its methods need, and its beats where nobody said them. */
export interface MixQuestion {
  readonly sound: GivenSound
  readonly needs: readonly AnalysisNeed[]
  readonly rhythm: KnowOptions | undefined
  /** all that is known of it, where its pitch may be moved: what has no note stays */
  readonly known: KnowOptions | undefined
}

export interface MixAnswer {
  readonly analysis: Analysis
  readonly rhythm: Pick<Rhythm, 'tempo'> | undefined
  readonly known: Knowledge | undefined
}

/** Find that out, in a thread of its own; nothing is looked for twice. */
export const serveMixAnalysis =
  () =>
  ({ sound, needs, rhythm: options, known: all }: MixQuestion): MixAnswer => {
    const whole = wholeOf(sound)
    const heard = (options ?? all) && finish(knowRhythm(whole, options ?? all ?? {}))
    const attacks = heard && !sound.range ? { attacks: heard.attacks } : {}
    return {
      analysis: analyse(partOf(whole, sound), needs, attacks),
      rhythm: options && heard,
      known: all && heard && knowledgeOf(heard, finish(knowTones(whole))),
    }
  }

/** All that a thread needs to make some parts of a mix. */
export interface MixGiven {
  readonly arrangement: Arrangement
  readonly rate: number
  readonly sounds: Readonly<Record<string, GivenSound>>
  readonly analyses: Readonly<Record<string, Analysis>>
  /** how many threads share the parts */
  readonly threads: number
}

interface Window {
  /** which of the threads is asked */
  readonly thread: number
  readonly from: number
  readonly to: number
}

/** What a part comes to in a window. */
interface Made {
  /** its number in the order in which parts are summed */
  readonly n: number
  readonly from: number
  readonly channels: readonly Float32Array[]
}

/** Lay a mix on its sounds. */
export function layGiven({ arrangement, rate, sounds }: Pick<MixGiven, 'arrangement' | 'rate' | 'sounds'>) {
  const opened = new Map(Object.entries(sounds).map(([id, given]) => [id, partOf(wholeOf(given), given)]))
  return { mix: layMix(arrangement, (id) => opened.get(id), rate), opened }
}

/** Which thread makes which part: each goes to the one that has least to do so far, the heaviest first. */
function shares(parts: readonly LaidPart[], threads: number, rateOf: (id: string) => number): readonly number[] {
  const work = parts.map(({ part, from, to }) => {
    const { timesRealTime } = methodById(part.recipe.methodId)
    return ((to - from) * rateOf(part.source)) / timesRealTime
  })
  const load = Array.from({ length: threads }, () => 0)
  const share = parts.map(() => 0)
  for (const n of work.map((_, n) => n).sort((a, b) => (work[b] as number) - (work[a] as number))) {
    const least = load.indexOf(Math.min(...load))
    load[least] = (load[least] as number) + (work[n] as number)
    share[n] = least
  }
  return share
}

/** Some parts of a mix, window by window: each voice is read on. */
export function serveMixParts(given: MixGiven) {
  const { mix, opened } = layGiven(given)
  const { rate, analyses, threads } = given
  const share = shares(mix.parts, threads, (id) => opened.get(id)?.sampleRate ?? rate)
  const gains = rowGains(mix.arrangement)
  const voices = new Map<LaidPart, PartVoice>()
  const open = (laid: LaidPart) => {
    const { source } = laid.part
    return withRunUp(openPart(laid, opened.get(source) as SoundSource, analyses[source] ?? {}, rate))
  }
  return ({ thread, from, to }: Window): Made[] =>
    mix.parts.flatMap((laid, n) => {
      if (share[n] !== thread || gains[laid.part.row] === 0) return []
      if (laid.to <= from) voices.delete(laid)
      if (laid.to <= from || laid.from >= to) return []
      const voice = voices.get(laid) ?? open(laid)
      voices.set(laid, voice)
      const start = Math.max(from, laid.from)
      const channels = silence(2, Math.min(to, laid.to) - start)
      voice.read(start, channels)
      return [{ n, from: start, channels }]
    })
}

const WINDOW_SECONDS = 5

/**
 * The sum of a mix from one frame to another, its parts made by so many threads at once. To be closed.
 * It comes to the same samples for any number of threads.
 */
export function threadedMix(mix: LaidMix, given: MixGiven, from: number, to: number) {
  const gains = rowGains(mix.arrangement)
  const threads = keptThreads('mixParts', given, given.threads)
  const size = Math.round(WINDOW_SECONDS * given.rate)
  const ask = (start: number) =>
    Promise.all(
      Array.from({ length: given.threads }, (_, thread) =>
        threads.ask<Made[]>(thread, { thread, from: start, to: Math.min(to, start + size) }),
      ),
    )
  return {
    /** Window by window, in order: the sum, and what each row came to. */
    async *windows(): AsyncGenerator<{ from: number; sum: Float32Array[]; rowOf(row: number): Float32Array[] }> {
      let coming = ask(from)
      coming.catch(() => undefined)
      for (let start = from; start < to; start += size) {
        const made = (await coming).flat().sort((a, b) => a.n - b.n)
        const end = Math.min(to, start + size)
        if (end < to) {
          coming = ask(end)
          coming.catch(() => undefined)
        }
        const summed = (keep: (row: number) => boolean) => {
          const sum = silence(2, end - start)
          for (const one of made) {
            const { row } = (mix.parts[one.n] as LaidPart).part
            if (keep(row)) addPart(sum, one.channels, gains[row] as number, one.from - start)
          }
          return sum
        }
        yield { from: start, sum: summed(() => true), rowOf: (row) => summed((own) => own === row) }
      }
    },
    close: threads.close,
  }
}
