import type { Arrangement } from './arrangement'

/**
 * An arrangement as it is heard at another speed, at its pitch: the tempo, and what holds on to seconds, run so many
 * times as fast. Beats stay beats.
 */
export function heardAt(arrangement: Arrangement, speed: number): Arrangement {
  if (speed === 1) return arrangement
  return {
    ...arrangement,
    tempoLine: arrangement.tempoLine.map((event) => ({ ...event, bpm: event.bpm * speed })),
    parts: arrangement.parts.map((part) => ({
      ...part,
      recipe: { ...part.recipe, stretch: part.recipe.stretch / speed },
      fadeIn: part.fadeIn / speed,
      fadeOut: part.fadeOut / speed,
    })),
  }
}
