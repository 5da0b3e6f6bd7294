import { finish, freeMethods, renderBlock, soundSource } from '../core'
import { ALL_NEEDS, analyse } from '../core/analysis/analysis'
import { spectralDistance } from '../core/testing/distance'
import { AS_WRITTEN } from '../core/testing/ideals'
import { drawnProgramme } from '../core/testing/programmes'
import { recipe } from '../core/testing/recipes'
import { joinLanesTask } from '../core/trials/joinLanes'

/**
 * Lanes joined by measure against the best of them alone, on made-up programmes: how far each is from the ideal answer.
 * Numbers 1 to 6 were looked at while joining was made; the others tell.
 */
export function printJoined(numbers: readonly number[], stretches: readonly number[]) {
  const ids = freeMethods.map(({ id }) => id)
  console.log('| programme | stretch | floor | best alone | dB | joined dB | share | handovers |')
  console.log('| --- | --- | --- | --- | --- | --- | --- | --- |')
  const shares: number[] = []
  for (const number of numbers) {
    const item = drawnProgramme(number)
    const { audio } = item.play(AS_WRITTEN)
    const known = analyse(audio, ALL_NEEDS)
    for (const stretch of stretches) {
      const ideal = item.play({ ...AS_WRITTEN, stretch }).audio
      const floor = spectralDistance(item.play({ ...AS_WRITTEN, stretch, seed: 2 }).audio, ideal)
      const lanes = ids.map((id) => recipe(id, { stretch }))
      const { recipe: joined } = finish(joinLanesTask(soundSource(audio), lanes, known))
      const alone = lanes.map((lane) => spectralDistance(renderBlock(audio, lane), ideal))
      const least = Math.min(...alone)
      const distance = spectralDistance(renderBlock(audio, joined), ideal)
      shares.push(distance / least)
      const row = [
        number,
        `${stretch} ×`,
        floor.toFixed(2),
        ids[alone.indexOf(least)],
        least.toFixed(2),
        distance.toFixed(2),
        (distance / least).toFixed(2),
        [joined.methodId, ...(joined.joins ?? []).map((one) => `${one.source.toFixed(2)} s ${one.methodId}`)].join(
          ', ',
        ),
      ]
      console.log(`| ${row.join(' | ')} |`)
    }
  }
  console.log(`\nmean share ${(shares.reduce((sum, share) => sum + share, 0) / shares.length).toFixed(2)}`)
}
