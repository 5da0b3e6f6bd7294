import { main } from '../main'

/**
 * A command, run in this process: starting one takes longer than most of what is asked.
 * Its threads are files of the bundle, so what has some is asked to do with one.
 */
export async function commandHere(words: readonly string[], more?: Parameters<typeof main>[2]) {
  const [out, err]: [string[], string[]] = [[], []]
  const status = await main(
    words,
    {
      out: (line) => void out.push(line),
      err: (line) => void err.push(line),
      progress: () => undefined,
      ask: async () => undefined,
    },
    more,
  )
  return { status, out: out.join('\n'), err: err.join('\n') }
}
