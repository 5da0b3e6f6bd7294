import type { Setting } from '../methods/settings'

const COUNT = 7

/**
 * Values over the range of a setting, rising, evenly on its own scale, with the one that is set now among them: it takes the place of
 * the nearest. All options of a choice.
 */
export function valuesOver(setting: Setting, now: number | string, count = COUNT): (number | string)[] {
  if (setting.type === 'choice') return setting.options.map((option) => option.value)
  const { min, max, step, scale } = setting
  // a range that begins at nothing has no ratio to go by: its first step stands for it
  const least = scale === 'log' ? Math.max(min, max / 1000, step > 0 && min <= 0 ? step : 0) : min
  const values = Array.from({ length: count }, (_, n) => {
    const share = n / (count - 1)
    const exact = scale === 'log' ? least * (max / least) ** share : min + share * (max - min)
    return Math.min(max, Math.max(min, rounded(exact, step)))
  })
  const distance = (value: number) =>
    scale === 'log'
      ? Math.abs(Math.log(Math.max(value, least) / Math.max(Number(now), least)))
      : Math.abs(value - Number(now))
  const nearest = values.reduce((best, value, n) => (distance(value) < distance(values[best] as number) ? n : best), 0)
  values[nearest] = Number(now)
  return [...new Set(values)].sort((a, b) => a - b)
}

/** To two digits, and to the setting's own step where that is coarser. */
function rounded(value: number, step: number): number {
  const fine = Number(value.toPrecision(2))
  return step > 0 ? Number((Math.round(fine / step) * step).toFixed(6)) : fine
}
