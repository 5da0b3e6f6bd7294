import { AppError, bytesInMemory, SAMPLE_RATE_RANGE } from '../../core'
import { decodeFile } from '../../host/decodeFile'
import { errorText } from '../../host/errorText'
import { openPcmFile } from '../../host/pcmFile'
import { taggedTempo } from '../../host/taggedTempo'

/** What became of one file. `wrong` is what must never be. */
export interface Outcome {
  readonly end: 'came in' | 'came in with a warning' | 'refused'
  /** of the refusal, or the first warning */
  readonly code: string
  readonly text: string
  readonly wrong: string | undefined
}

/** words of machines, that are none for people */
const RAW =
  /typed array|memory|out of bounds|undefined|NaN|Infinity|DataView|offset|is not a function|cannot read prop|null|RangeError|TypeError|wasm|unreachable|stack/i

/** Read a file the way that page and command do, and judge what comes of it. */
export async function tryFile(bytes: Uint8Array, file: string): Promise<Outcome> {
  const said: string[] = []
  const names = ['log', 'info', 'warn', 'error', 'debug'] as const
  const all = console as unknown as Record<string, unknown>
  const kept = names.map((name) => all[name])
  for (const name of names) all[name] = (...words: unknown[]) => said.push(words.map(String).join(' '))
  try {
    const outcome = await judged(bytes, file)
    return said.length > 0 ? { ...outcome, wrong: `printed: ${said[0]?.slice(0, 100)}` } : outcome
  } finally {
    names.forEach((name, n) => {
      all[name] = kept[n]
    })
  }
}

async function judged(bytes: Uint8Array, file: string): Promise<Outcome> {
  try {
    const { audio, warnings } = await decodeFile(bytes, file)
    await taggedTempo(bytesInMemory(bytes))
    const frames = audio.channels[0]?.length ?? 0
    const { min, max } = SAMPLE_RATE_RANGE
    const wrong =
      frames < 1
        ? 'no frames'
        : audio.channels.length > 8 || audio.channels.some((channel) => channel.length !== frames)
          ? 'odd channels'
          : !(audio.sampleRate >= min && audio.sampleRate <= max)
            ? `a rate of ${audio.sampleRate}`
            : audio.channels.some((channel) => !channel.every(Number.isFinite))
              ? 'samples that are no numbers'
              : otherwiseByParts(bytes, file, frames)
    const [warning] = warnings
    if (!warning) return { end: 'came in', code: '', text: '', wrong }
    const text = errorText(new AppError(warning.code, warning.details))
    return { end: 'came in with a warning', code: warning.code, text, wrong: wrong ?? rawIn(text) }
  } catch (error) {
    const code = error instanceof AppError ? error.code : ''
    const text = errorText(error)
    const wrong = code.startsWith('audio/') ? rawIn(text) : `not told: ${error instanceof Error ? error.stack : error}`
    return { end: 'refused', code, text, wrong }
  }
}

const rawIn = (text: string) => (RAW.test(text) ? `raw words: ${text}` : undefined)

/** What is read by parts, as long files are, has to be the same. */
function otherwiseByParts(bytes: Uint8Array, file: string, frames: number): string | undefined {
  const pcm = openPcmFile(bytesInMemory(bytes), file)
  return pcm && pcm.source.frames !== frames ? `${pcm.source.frames} frames by parts, ${frames} at once` : undefined
}
