declare const axis: unique symbol
type On<Axis extends string> = number & { readonly [axis]: Axis }

/** A place in the source, in frames from its start; may be fractional. */
export type SourceFrame = On<'source frame'>
/** A place in the result, in frames from its start; may be fractional. */
export type OutputFrame = On<'output frame'>

export const asSource = (frame: number) => frame as SourceFrame
export const asOutput = (frame: number) => frame as OutputFrame
