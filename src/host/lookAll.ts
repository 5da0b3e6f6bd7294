import type { Look, Looking, Trial } from '../core'

/**
 * Take all looks that are asked for, as many at once as there is room for.
 * @param take  one look, telling how far it is, 0 to 1.
 * @throws what the first that fails throws.
 */
export async function lookAll<Result>(
  looking: Looking<Result>,
  take: (look: Look, show: (share: number) => void) => Promise<Trial>,
  show: (share: number) => void,
): Promise<Result> {
  let told: readonly Trial[] = []
  for (;;) {
    const step = looking.next(told)
    if (step.done) return step.value
    const { looks, from, to } = step.value
    const done = looks.map(() => 0)
    const showAll = () => show(from + ((to - from) * done.reduce((sum, one) => sum + one, 0)) / done.length)
    told = await Promise.all(
      looks.map(async (look, n) => {
        const showOne = (share: number) => {
          done[n] = share
          showAll()
        }
        const trial = await take(look, showOne)
        showOne(1)
        return trial
      }),
    )
  }
}
