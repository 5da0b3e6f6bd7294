/**
 * Letters as keys, by where they lie whatever is printed on them: along a row a semitone a key, from row to row a
 * fourth. A chord has one shape wherever it is played.
 */
const row = (text: string, codes: readonly string[]) => codes.map((code, n) => ({ code, letter: text[n] as string }))

export const LETTER_ROWS = [
  row('ZXCVBNM,.', ['KeyZ', 'KeyX', 'KeyC', 'KeyV', 'KeyB', 'KeyN', 'KeyM', 'Comma', 'Period']),
  row('ASDFGHJKL', ['KeyA', 'KeyS', 'KeyD', 'KeyF', 'KeyG', 'KeyH', 'KeyJ', 'KeyK', 'KeyL']),
  row('QWERTYUIOP', ['KeyQ', 'KeyW', 'KeyE', 'KeyR', 'KeyT', 'KeyY', 'KeyU', 'KeyI', 'KeyO', 'KeyP']),
] as const

/** The key that a letter plays, counted from the lowest; undefined for one that plays none. */
export function letterKey(code: string): number | undefined {
  for (const [n, codes] of LETTER_ROWS.entries()) {
    const at = codes.findIndex((own) => own.code === code)
    if (at >= 0) return 5 * n + at
  }
  return undefined
}
