import { rankTrials } from '../core'
import { AS_WRITTEN, type IdealItem, idealItems } from '../core/testing/ideals'
import { drawnItem, scoreKinds } from '../core/testing/scores'
import { idealOf, labelOf, playingOf, triedOn } from './againstIdeal'

/**
 * Whether advice is right: every method tried on every ideal item, ranked by what was measured alone, and beside it how far each
 * result really is from the ideal. `--items a,b`, `--stretches 0.8,2` and `--pitches 5` narrow it down.
 */

/** the advised one is as good as the best when its distance is at most this share larger */
const CLOSE = 0.1
/** from here on only what sustains is stretched: nobody stretches a beat so far to keep it one */
const FAR_FROM = 10

interface AdviceRow {
  readonly item: string
  readonly condition: string
  readonly advised: string
  readonly advisedDistance: number
  /** of those between which advice tells no difference, how far the nearest one is */
  readonly closeDistance: number
  readonly best: string
  readonly bestDistance: number
}

function* adviceRows(item: IdealItem, stretches: readonly number[], pitches: readonly number[]): Generator<AdviceRow> {
  const tryOn = triedOn(item.play(AS_WRITTEN))
  const conditions = [
    ...stretches.map((stretch) => playingOf(item, { stretch })),
    ...pitches.map((semitones) => playingOf(item, { semitones })),
  ]
  for (const played of conditions) {
    const tried = tryOn(played, idealOf(item, played))
    const ranked = rankTrials(tried)
    const advised = ranked[0]?.methodId as string
    const distanceOf = (id: string) => tried.find(({ methodId }) => methodId === id)?.distance ?? Number.NaN
    const best = tried.reduce((a, b) => (b.distance < a.distance ? b : a))
    yield {
      item: item.id,
      condition: labelOf(played),
      advised,
      advisedDistance: distanceOf(advised),
      closeDistance: Math.min(...ranked.filter(({ close }) => close).map(({ methodId }) => distanceOf(methodId))),
      best: best.methodId,
      bestDistance: best.distance,
    }
  }
}

/** How many items of each kind are drawn; odd numbers belong to the half that weights were fitted to. */
const DRAWN = 6

interface Tally {
  right: number
  /** the best, or one within 10 % of it, is among those called no different */
  among: number
  twice: number
  count: number
}

/** Every method is tried on items with ideal answers: those that the weights were fitted to, and others. */
export function printAdvice(
  wanted: readonly string[] | undefined,
  stretches: readonly number[],
  pitches: readonly number[],
) {
  const drawn = scoreKinds.flatMap((kind) => Array.from({ length: DRAWN }, (_, n) => drawnItem(kind, n + 1)))
  const halves = {
    'fitted to': [...idealItems.filter(({ id }) => id !== 'sweep'), ...drawn.filter((_, n) => n % 2 === 0)],
    'not seen': drawn.filter((_, n) => n % 2 === 1),
  }
  const tallies = new Map<string, Tally>()
  const misses: string[] = []
  const conditions = new Set<string>()
  for (const [half, items] of Object.entries(halves)) {
    for (const item of items) {
      if (wanted && !wanted.includes(item.id)) continue
      const far = item.kind === 'tones' || item.kind === 'noise'
      const own = stretches.filter((stretch) => stretch < FAR_FROM || far)
      for (const row of adviceRows(item, own, item.kind === 'mix' ? [] : pitches)) {
        conditions.add(row.condition)
        const right = row.advisedDistance <= (1 + CLOSE) * row.bestDistance
        const among = row.closeDistance <= (1 + CLOSE) * row.bestDistance
        const twice = row.closeDistance > 2 * row.bestDistance
        for (const key of [`${half} ${row.condition}`, `${half} all`]) {
          const tally = tallies.get(key) ?? { right: 0, among: 0, twice: 0, count: 0 }
          tallies.set(key, tally)
          tally.count++
          if (right) tally.right++
          if (among) tally.among++
          if (twice) tally.twice++
        }
        if (!right) {
          const times = (row.advisedDistance / row.bestDistance).toFixed(2)
          misses.push(
            `| ${row.item} | ${row.condition} | ${half} | ${row.advised} | ${row.advisedDistance.toFixed(2)} | ${row.best} | ${row.bestDistance.toFixed(2)} | ${times} |`,
          )
        }
      }
    }
  }
  const share = (key: string) => {
    const { right, among, twice, count } = tallies.get(key) ?? { right: 0, among: 0, twice: 0, count: 0 }
    const percent = (part: number) => `${((100 * part) / Math.max(1, count)).toFixed(0)} %`
    return `${right} of ${count} (${percent(right)}); ${percent(among)}; ${twice}`
  }
  console.log(`# How often advice is right

Made by \`npm run quality -- --advice\`. Every method but varispeed renders each item; advice ranks the results by what is measured of them
beside the source, and never sees the ideal. _Distance_ is how far a result is from the ideal. Advice is right when its choice is the
best, or within ${100 * CLOSE} % of it. Weights were fitted to the items of \`testing/ideals\` and to half of those drawn by
\`testing/scores\`; the other half they have not seen, but that three of them were raised later on the first two drawn of each kind.

Each cell: how often the first is right; how often one is among those between which advice tells no difference; and how often
all of these are more than twice as far as the best.

| target | fitted to | not seen |
| --- | --- | --- |`)
  for (const condition of [...conditions, 'all'])
    console.log(`| ${condition} | ${share(`fitted to ${condition}`)} | ${share(`not seen ${condition}`)} |`)
  console.log(`
## Where it was not

| item | target | half | advised | distance | best | distance | times |
| --- | --- | --- | --- | --- | --- | --- | --- |`)
  for (const miss of misses) console.log(miss)
}
