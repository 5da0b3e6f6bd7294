import { ramp } from './picture'

/** Colours of levels and of differences, by theme. Stops of a ramp lie evenly apart in lightness. */
const STOPS = {
  ink: {
    levels: ['#090d11', '#1b2c4a', '#1f5673', '#3f8473', '#8fae5c', '#ecd98a', '#fffbe8'],
    differences: ['#9fd6ff', '#2f7fae', '#0c1319', '#b8412c', '#ffb09f'],
  },
  paper: {
    levels: ['#fffdf8', '#d9dccb', '#a8bfb0', '#6c9ca0', '#3f7390', '#32477a', '#1a1c3c'],
    differences: ['#0b4a78', '#6fb1d8', '#fffdf8', '#e58a72', '#8c1f0b'],
  },
} as const

/** The colours of a difference, from quieter to louder. */
export const differenceStops = (theme: keyof typeof STOPS): readonly string[] => STOPS[theme].differences

type Ramps = Readonly<Record<'levels' | 'differences', Uint8ClampedArray>>
const made = new Map<string, Ramps>()

export function rampsOf(theme: keyof typeof STOPS): Ramps {
  let ramps = made.get(theme)
  if (!ramps) {
    ramps = { levels: ramp(STOPS[theme].levels), differences: ramp(STOPS[theme].differences) }
    made.set(theme, ramps)
  }
  return ramps
}
