const NAMES = ['log', 'info', 'warn', 'error', 'debug'] as const

let inside = 0
let kept: Partial<Record<(typeof NAMES)[number], unknown>> = {}

/** Do some work with the console shut. Decoders print what they stumble over, and nobody reads it there. */
export async function quietly<T>(work: () => Promise<T>): Promise<T> {
  const all = console as unknown as Record<string, unknown>
  if (inside++ === 0) {
    kept = Object.fromEntries(NAMES.map((name) => [name, all[name]]))
    for (const name of NAMES) all[name] = () => undefined
  }
  try {
    return await work()
  } finally {
    if (--inside === 0) for (const name of NAMES) all[name] = kept[name]
  }
}
