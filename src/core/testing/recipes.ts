import type { Recipe } from '../render/recipe'

export function recipe(methodId: string, change: Partial<Recipe> = {}): Recipe {
  return { version: 1, stretch: 1, pitchSemitones: 0, formants: 'move', settings: {}, seed: 1, ...change, methodId }
}
