import { describe, expect, it } from 'vitest'
import { renderBlock } from '../render/renderTask'
import { AS_WRITTEN, idealItems } from '../testing/ideals'
import { recipe } from '../testing/recipes'
import { rms } from '../testing/tone'

const scene = (idealItems.find((item) => item.id === 'drums over chords') as (typeof idealItems)[number]).play(
  AS_WRITTEN,
)
const RATE = scene.audio.sampleRate
const source = { sampleRate: RATE, channels: scene.audio.channels.map((channel) => channel.slice(0, 2 * RATE)) }
const rendered = (settings: Record<string, number>, stretch = 1.3) =>
  renderBlock(source, recipe('layered', { stretch, settings })).channels[0] as Float32Array
const MUTED = -60

describe('three-layer', () => {
  it('is the sum of its layers, each of which can be muted or turned', () => {
    const whole = rendered({})
    const sines = rendered({ attacksDb: MUTED, noiseDb: MUTED })
    const attacks = rendered({ sinesDb: MUTED, noiseDb: MUTED })
    const noise = rendered({ sinesDb: MUTED, attacksDb: MUTED })
    let apart = 0
    whole.forEach((value, i) => {
      const sum = (sines[i] as number) + (attacks[i] as number) + (noise[i] as number)
      apart = Math.max(apart, Math.abs(value - sum))
    })
    expect(apart).toBeLessThan(1e-5)
    const turned = rendered({ sinesDb: -6, attacksDb: MUTED, noiseDb: MUTED })
    expect(20 * Math.log10(rms(turned) / rms(sines))).toBeCloseTo(-6, 3)
  })

  it('has the chord in its tones and the hits in its attacks', () => {
    const sines = rendered({ attacksDb: MUTED, noiseDb: MUTED })
    const attacks = rendered({ sinesDb: MUTED, noiseDb: MUTED })
    const level = (samples: Float32Array, from: number, to: number) =>
      rms(samples.slice(Math.round(from * 1.3 * RATE), Math.round(to * 1.3 * RATE)))
    // just behind the snare at 0.75 s, and in the calm before the next stroke
    expect(level(attacks, 0.75, 0.77) / level(sines, 0.75, 0.77)).toBeGreaterThan(1.5)
    expect(level(attacks, 0.68, 0.74) / level(sines, 0.68, 0.74)).toBeLessThan(0.1)
    // the tones neither swell nor sink at the hit
    const steadyDb = 20 * Math.log10(level(sines, 0.7, 0.8) / level(sines, 0.95, 1.05))
    expect(Math.abs(steadyDb)).toBeLessThan(1)
  })

  it('leaves no hole between a hit and the noise it dies away into, however far the stretch', () => {
    const out = rendered({ sinesDb: MUTED }, 2.5)
    const at = (seconds: number) =>
      20 * Math.log10(rms(out.slice(Math.round(seconds * RATE), Math.round((seconds + 0.02) * RATE))) + 1e-9)
    // the snare at 0.75 s, in steps: from one to the next it may fall, but not fall away and come back
    const start = 0.75 * 2.5
    let lowest = at(start)
    for (let t = 0.02; t < 0.2; t += 0.02) {
      const now = at(start + t)
      expect(now - lowest).toBeLessThan(6)
      lowest = Math.min(lowest, now)
    }
  })
})
