import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount, silence } from '../audio/block'
import { soundSource } from '../audio/soundSource'
import { finish } from '../task'
import { AS_WRITTEN } from '../testing/ideals'
import { recipe } from '../testing/recipes'
import { drawnItem } from '../testing/scores'
import { chooseTask } from './choose'

/** one sound behind another */
function behind(a: AudioBlock, b: AudioBlock): AudioBlock {
  const channels = silence(2, frameCount(a) + frameCount(b))
  channels.forEach((channel, c) => {
    channel.set(a.channels[c] as Float32Array)
    channel.set(b.channels[c] as Float32Array, frameCount(a))
  })
  return { sampleRate: a.sampleRate, channels }
}

describe('the one recipe for a sound', () => {
  // played twice as fast, so that they are soon tried
  const hits = drawnItem('knocks', 3).play({ ...AS_WRITTEN, stretch: 0.5 }).audio
  const pad = drawnItem('pad', 3).play({ ...AS_WRITTEN, stretch: 0.5 }).audio

  it('changes nothing where nothing is asked', () => {
    const asked = recipe('wsola', { joins: [{ source: 1, methodId: 'splice', settings: {} }] })
    expect(finish(chooseTask(soundSource(hits), asked, {}))).toMatchObject({ recipe: recipe('wsola'), ranked: [] })
  })

  it('is one method where that suits all of it', () => {
    const { recipe: chosen, ranked } = finish(chooseTask(soundSource(hits), recipe('wsola', { stretch: 1.3 }), {}))
    expect(chosen).toEqual(recipe('splice', { stretch: 1.3 }))
    expect(ranked[0]?.recipe).toEqual(chosen)
    expect(ranked.length).toBeGreaterThanOrEqual(2)
  })

  it('joins methods where one suits each half', () => {
    const both = soundSource(behind(hits, pad))
    const { recipe: chosen } = finish(chooseTask(both, recipe('wsola', { stretch: 1.3 }), {}))
    expect([chosen.methodId, ...(chosen.joins ?? []).map(({ methodId }) => methodId)]).toEqual(['splice', 'vocoder'])
    const border = frameCount(hits) / hits.sampleRate
    expect(Math.abs((chosen.joins?.[0]?.source ?? 0) - border)).toBeLessThan(0.6)
  })
})
