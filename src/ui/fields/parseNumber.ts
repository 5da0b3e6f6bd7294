/**
 * What a person typed as a number: a comma may stand for the point, units and signs around it are ignored, and a
 * division is worked out (`4/3`). Undefined when there is no number in it.
 */
export function parseNumber(text: string): number | undefined {
  const clean = text.trim().replace(/−/g, '-').replace(/,/g, '.')
  const match = /^[^\d.+-]*([+-]?(?:\d+\.?\d*|\.\d+))(?:\s*[/:÷]\s*(\d+\.?\d*|\.\d+))?[^\d]*$/.exec(clean)
  if (!match) return undefined
  const value = Number(match[1]) / (match[2] === undefined ? 1 : Number(match[2]))
  return Number.isFinite(value) ? value : undefined
}
