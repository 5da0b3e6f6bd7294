import type { Recipe } from './recipe'

/**
 * A file name that says what was done: source, stretch, pitch, method. Characters that a file system may refuse become
 * a hyphen; numbers use a point and only the digits they need.
 * Example: "Rope winch" at 0.8 and two semitones up by Waveform match is `Rope-winch_x0.8_+2st_wsola.wav`.
 */
export function resultName(sourceName: string, recipe: Recipe): string {
  const plain = (value: number, digits: number) => String(Number(value.toFixed(digits)))
  const stretch = `x${plain(recipe.stretch, 4)}`
  const pitch = recipe.pitchSemitones
  const semitones = pitch === 0 ? [] : [`${pitch > 0 ? '+' : ''}${plain(pitch, 2)}st`]
  const timed = recipe.pins || recipe.speedCurve ? ['timed'] : []
  const method = recipe.joins ? 'joined' : recipe.methodId
  return `${[fileBase(sourceName), stretch, ...semitones, ...timed, method].join('_')}.wav`
}

/** A source's name as the start of a file's: without its own ending, and of what every file system takes. */
export function fileBase(sourceName: string): string {
  const base = sourceName
    .replace(/\.(wav|aiff?|aifc|flac|mp3|ogg|oga|opus|m4a|mp4|aac)$/i, '')
    // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what must go
    .replace(/[\u0000-\u001f<>:"/\\|?*]+/g, '-')
    .trim()
    .replace(/\s+/g, '-')
    .replace(/^\.+/, '')
    .slice(0, 120)
  return base || 'sound'
}
