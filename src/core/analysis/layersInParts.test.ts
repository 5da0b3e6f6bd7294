import { describe, expect, it } from 'vitest'
import { frameCount } from '../audio/block'
import { soundSource } from '../audio/soundSource'
import { makeLoop } from '../testing/loops'
import { analyse } from './analysis'
import { createLayers } from './layers'
import { layersInParts } from './layersInParts'

describe('layersInParts', () => {
  it('comes to the very layers of the whole, and adds up to the source', () => {
    const { audio } = makeLoop({ bpm: 110, bars: 5, style: 'fourFloor', seed: 3 })
    const frames = frameCount(audio)
    const attacks = (analyse(audio, ['attacks']).attacks ?? []).map(({ frame }) => frame)
    const whole = createLayers(audio, attacks)
    whole.ensure(0, frames)
    let upTo = 0
    for (const part of layersInParts(soundSource(audio), attacks, 2)) {
      expect(part.from).toBe(upTo)
      upTo = part.to
      for (const name of ['sines', 'attacks', 'noise'] as const)
        part[name].channels.forEach((channel, c) => {
          const all = whole[name].channels[c]?.subarray(part.from, part.to) as Float32Array
          // windows are laid in another order: the last bit may fall otherwise
          const apart = channel.reduce((most, value, i) => Math.max(most, Math.abs(value - (all[i] as number))), 0)
          expect(apart, `${name} from ${part.from}`).toBeLessThan(1e-7)
        })
      const [own] = audio.channels.map((channel) => channel.subarray(part.from, part.to)) as [Float32Array]
      const [sum] = part.sines.channels.map((channel, c) =>
        channel.map((value, i) => value + (part.attacks.channels[c]?.[i] ?? 0) + (part.noise.channels[c]?.[i] ?? 0)),
      ) as [Float32Array]
      expect(sum.reduce((most, value, i) => Math.max(most, Math.abs(value - (own[i] as number))), 0)).toBeLessThan(1e-6)
    }
    expect(upTo).toBe(frames)
  })
})
