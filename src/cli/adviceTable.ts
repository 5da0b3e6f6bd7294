import { finish, frameCount, methods, type Recipe, rankTrials, readSource, renderBlock, trialTask } from '../core'
import { spectralDistance } from '../core/testing/distance'
import { AS_WRITTEN, type IdealItem, idealItems } from '../core/testing/ideals'
import { recipe } from '../core/testing/recipes'

/**
 * Whether advice is right: every method tried on every ideal item, ranked by what was measured alone, and beside it how far each
 * result really is from the ideal. `--items a,b`, `--stretches 0.8,2` and `--pitches 5` narrow it down.
 */

/** the advised one is as good as the best when its distance is at most this share larger */
const CLOSE = 0.1

interface AdviceRow {
  readonly item: string
  readonly condition: string
  readonly advised: string
  readonly advisedDistance: number
  readonly best: string
  readonly bestDistance: number
}

const candidates = methods.filter((method) => !method.tiesPitchToSpeed).map((method) => method.id)

function* adviceRows(item: IdealItem, stretches: readonly number[], pitches: readonly number[]): Generator<AdviceRow> {
  const source = item.play(AS_WRITTEN).audio
  const reading = finish(readSource(source))
  const conditions = [
    ...stretches.map((stretch) => ({ stretch, semitones: 0, label: `${stretch} ×` })),
    ...pitches.map((semitones) => ({ stretch: 1, semitones, label: `${semitones > 0 ? '+' : ''}${semitones} st` })),
  ]
  for (const { stretch, semitones, label } of conditions) {
    const keepFormants = semitones !== 0 && (item.id === 'voice' || item.id === 'glide')
    // noise of the same seed would reward a method for copying it; a fresh playing is as good an ideal
    const seed = item.kind === 'noise' ? 2 : AS_WRITTEN.seed
    const ideal = item.play({ stretch, semitones, keepFormants, seed }).audio
    const tried = candidates.map((methodId) => {
      const made: Recipe = recipe(methodId, {
        stretch,
        pitchSemitones: semitones,
        formants: keepFormants ? 'keep' : 'move',
      })
      const span = { from: 0, to: Math.round(frameCount(source) * stretch) }
      const distance = spectralDistance(renderBlock(source, made), ideal)
      return { methodId, distance, trial: finish(trialTask(source, made, span, {}, reading)) }
    })
    const advised = rankTrials(tried)[0]?.methodId as string
    const distanceOf = (id: string) => tried.find(({ methodId }) => methodId === id)?.distance ?? Number.NaN
    const best = tried.reduce((a, b) => (b.distance < a.distance ? b : a))
    yield {
      item: item.id,
      condition: label,
      advised,
      advisedDistance: distanceOf(advised),
      best: best.methodId,
      bestDistance: best.distance,
    }
  }
}

export function printAdvice(
  wanted: readonly string[] | undefined,
  stretches: readonly number[],
  pitches: readonly number[],
) {
  console.log(`# How often advice is right

Made by \`npm run quality -- --advice\`. Every method but varispeed renders each ideal item; advice ranks the results by what is
measured of them beside the source, and never sees the ideal. _Distance_ is how far the advised result is from it, and how far
the best one; advice is right when its choice is the best, or within ${100 * CLOSE} % of it.

| item | condition | advised | distance | best | distance | right |
| --- | --- | --- | --- | --- | --- | --- |`)
  let right = 0
  let count = 0
  const ofStretches = { right: 0, count: 0 }
  for (const item of idealItems) {
    if (item.id === 'sweep' || (wanted && !wanted.includes(item.id))) continue
    for (const row of adviceRows(item, stretches, item.kind === 'mix' ? [] : pitches)) {
      const isRight = row.advisedDistance <= (1 + CLOSE) * row.bestDistance
      if (isRight) right++
      count++
      if (row.condition.endsWith('×')) {
        ofStretches.count++
        if (isRight) ofStretches.right++
      }
      console.log(
        `| ${row.item} | ${row.condition} | ${row.advised} | ${row.advisedDistance.toFixed(2)} | ${row.best} | ${row.bestDistance.toFixed(2)} | ${isRight ? 'yes' : 'no'} |`,
      )
    }
  }
  const share = (hits: number, of: number) => `**${hits} of ${of}** (${((100 * hits) / Math.max(1, of)).toFixed(0)} %)`
  console.log(
    `\nRight: ${share(right, count)}; of the stretches alone ${share(ofStretches.right, ofStretches.count)}. The weights were fitted to these very items.`,
  )
}
