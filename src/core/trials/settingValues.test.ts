import { describe, expect, it } from 'vitest'
import { methods } from '../methods/registry'
import { checkSetting, choice, number } from '../methods/settings'
import { valuesOver } from './settingValues'

describe('values over a setting', () => {
  it('all hold, rise, differ, and have the present one among them, for every setting of every method', () => {
    for (const method of methods) {
      for (const [name, setting] of Object.entries(method.settings)) {
        const values = valuesOver(setting, setting.default)
        expect(values).toContain(setting.default)
        expect(new Set(values).size).toBe(values.length)
        expect(values.length).toBeGreaterThan(1)
        for (const value of values) expect(checkSetting(name, setting, value)).toBe(value)
        if (setting.type === 'number') expect([...values].sort((a, b) => Number(a) - Number(b))).toEqual(values)
      }
    }
  })
  it('lie evenly on the scale of the setting', () => {
    const grain = number({ label: '', unit: 'ms', min: 5, max: 500, default: 50, scale: 'log', trades: '' })
    const values = valuesOver(grain, 50) as number[]
    expect(values[0]).toBe(5)
    expect(values.at(-1)).toBe(500)
    for (let n = 1; n < values.length; n++)
      expect((values[n] as number) / (values[n - 1] as number)).toBeCloseTo(100 ** (1 / 6), 0)
    const percent = number({ label: '', unit: '%', min: 0, max: 90, default: 30, trades: '' })
    expect(valuesOver(percent, 33)).toEqual([0, 15, 33, 45, 60, 75, 90])
  })
  it('are the options of a choice', () => {
    const either = choice({
      label: '',
      default: 'a',
      options: [
        { value: 'a', label: 'A' },
        { value: 'b', label: 'B' },
      ],
      trades: '',
    })
    expect(valuesOver(either, 'a')).toEqual(['a', 'b'])
  })
})
