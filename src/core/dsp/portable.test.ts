import { readdirSync, readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { cosTurns, exp, exp2, ln, lnInPlace, log2, power, sinTurns } from './portable'
import { createRandom } from './random'

const random = createRandom(20_261_124)
const close = (value: number, ideal: number, ulps: number) =>
  expect(Math.abs(value - ideal)).toBeLessThanOrEqual(ulps * 2 ** -52 * Math.max(Math.abs(ideal), 1e-300))

describe('portable functions', () => {
  it('agree with the engine within a few units in the last place', () => {
    for (let n = 0; n < 20_000; n++) {
      const t = random() * 0.125
      close(sinTurns(t), Math.sin(2 * Math.PI * t), 3)
      close(cosTurns(t), Math.cos(2 * Math.PI * t), 3)
      const x = (random() - 0.5) * 60
      close(exp2(x), 2 ** x, 3)
      expect(Math.abs(exp(x) / Math.exp(x) - 1)).toBeLessThan(2e-14)
      const positive = 10 ** (30 * (random() - 0.5))
      close(ln(positive), Math.log(positive), 4)
      expect(Math.abs(log2(positive) - Math.log2(positive))).toBeLessThan(1e-13)
      expect(Math.abs(power(positive, 0.3) / positive ** 0.3 - 1)).toBeLessThan(1e-13)
    }
  })

  it('take logarithms of many numbers as single precision holds them', () => {
    const values = Float32Array.from({ length: 20_000 }, () => 10 ** (60 * (random() - 0.5)))
    values.set([1, 2, 0.5, 1 + 2 ** -23, 1 - 2 ** -24, 2 ** -126, 3.4e38])
    const logs = values.slice()
    lnInPlace(logs)
    logs.forEach((log, i) => {
      const ideal = Math.log(values[i] as number)
      expect(Math.abs(log - ideal)).toBeLessThan(1e-7 * Math.abs(ideal) + 1e-9)
    })
  })

  it('keep the symmetries of the circle, and are exact at its quarters', () => {
    for (let n = 0; n < 2000; n++) {
      const t = random() * 3 - 1
      expect(Math.abs(sinTurns(t) ** 2 + cosTurns(t) ** 2 - 1)).toBeLessThan(1e-15)
      expect(sinTurns(t)).toBeCloseTo(Math.sin(2 * Math.PI * t), 14)
      expect(cosTurns(t)).toBeCloseTo(Math.cos(2 * Math.PI * t), 14)
    }
    expect([0, 0.25, 0.5, 0.75].map(sinTurns).map((v) => v + 0)).toEqual([0, 1, 0, -1])
    expect([0, 0.25, 0.5, 0.75].map(cosTurns).map((v) => v + 0)).toEqual([1, 0, -1, 0])
  })

  it('know the ends of their ranges', () => {
    expect(exp2(3)).toBe(8)
    expect(exp2(-1070)).toBe(0)
    expect(exp2(2000)).toBe(Number.POSITIVE_INFINITY)
    expect(ln(1)).toBe(0)
    expect(ln(0)).toBe(Number.NEGATIVE_INFINITY)
    expect(ln(-1)).toBeNaN()
  })

  it('are what everything between a source and its rendered samples uses', () => {
    const free = new Set(['dsp/units.ts'])
    for (const folder of ['dsp', 'methods', 'analysis', 'render', 'timeline', 'audio']) {
      for (const name of readdirSync(`src/core/${folder}`)) {
        const file = `${folder}/${name}`
        if (name.endsWith('.test.ts') || free.has(file)) continue
        const code = readFileSync(`src/core/${file}`, 'utf8')
        // gaussian serves the makers of sounds, whose files are made once
        const used = code
          .replace(/export function gaussian[\s\S]*?\n}/, '')
          .match(/Math\.(sin|cos|tan|exp|log|log2|log10|pow|sinh|cosh|tanh|hypot|atan2)\(/g)
        expect(used, file).toBeNull()
        // whole powers of two are exact everywhere; other powers, squares among them, are not
        for (const [, base, exponent] of code
          .replace(/^\s*(\/?\*|\/\/).*$/gm, '')
          .matchAll(/([\w.)\]]+) \*\* ([\w.(]+)/g)) {
          expect(base === '2' ? 'whole' : `${base} ** ${exponent}`, file).toBe('whole')
        }
      }
    }
  })
})
