declare const axis: unique symbol
type On<Axis extends string> = number & { readonly [axis]: Axis }

/** A place in the source, in frames from its start; may be fractional. */
export type SourceFrame = On<'source frame'>
/** A place in the result, in frames from its start; may be fractional. */
export type OutputFrame = On<'output frame'>
/** A moment of the timeline, seconds from its beat 0. */
export type TimelineSecond = On<'timeline second'>
/** A beat of the timeline; may be fractional. */
export type TimelineBeat = On<'timeline beat'>
/** A beat of a source, counted from its own first one; may be fractional. */
export type SourceBeat = On<'source beat'>

export const asSource = (frame: number) => frame as SourceFrame
export const asOutput = (frame: number) => frame as OutputFrame
