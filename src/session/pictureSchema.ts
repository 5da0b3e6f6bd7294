import { z } from 'zod'

/** What a sound has to do with a picture. */

const text = z.string().max(1000)

/** A moment of a film that has a name. */
export const markSchema = z.object({
  id: text.min(1),
  name: text,
  /** of the film's file */
  seconds: z.number().nonnegative(),
})

/** The slot of picture that a source is to fill. */
export const slotSchema = z.object({
  /** id of the source whose picture it is */
  film: text.min(1),
  /** ids of marks; the film's start and end where there are none */
  from: text.optional(),
  to: text.optional(),
  /** how it is brought to the slot's length: all alike, its pauses first, or not at all */
  fill: z.enum(['even', 'pauses', 'free']).default('free'),
  /** frames of the source's file in which nothing is said, end exclusive: what gives way first */
  pauses: z
    .array(z.object({ start: z.number().nonnegative(), end: z.number().nonnegative() }))
    .max(5000)
    .optional(),
})

export type PictureMark = z.infer<typeof markSchema>
export type Slot = z.infer<typeof slotSchema>
