import { type Markers, markersWithin } from '../core'
import type { Hand, Source } from './schema'

/** Cues, loops and root as they were set by hand, in frames of the file. */
export type HandMarkers = NonNullable<Hand['markers']>

/** Those of the part that is worked with, in its frames; undefined where nothing was set by hand. */
export function handMarkersOf({ hand, range }: Pick<Source, 'hand' | 'range'>): Markers | undefined {
  const own = hand.markers as Markers | undefined
  return own && range ? markersWithin(own, range) : own
}

/**
 * What a source's file is to say of its part: as set by hand, else as its own file says. The tempo stays the file's.
 * @param ofPart  what the file says, in frames of the part
 */
export function markersOf(source: Pick<Source, 'hand' | 'range'>, ofPart: Markers): Markers {
  const { tempo } = ofPart
  const own = handMarkersOf(source)
  return own ? { ...own, ...(tempo && { tempo }) } : ofPart
}

const byFrame = <One extends { readonly frame: number }>(a: One, b: One) => a.frame - b.frame

/** Cues with one more; where one lies there already, as they are. */
export const withCue = (markers: HandMarkers, frame: number, label = ''): HandMarkers =>
  markers.cues.some((cue) => cue.frame === frame)
    ? markers
    : { ...markers, cues: [...markers.cues, { frame, label }].sort(byFrame) }

/** A cue elsewhere, or under another name; where another lies there already, that one is gone. */
export const withCueChanged = (
  markers: HandMarkers,
  at: number,
  change: { readonly frame?: number; readonly label?: string },
): HandMarkers => ({
  ...markers,
  cues: markers.cues
    .filter(({ frame }) => frame === at || frame !== change.frame)
    .map((cue) => (cue.frame === at ? { ...cue, ...change } : cue))
    .sort(byFrame),
})

export const withoutCue = (markers: HandMarkers, at: number): HandMarkers => ({
  ...markers,
  cues: markers.cues.filter(({ frame }) => frame !== at),
})
