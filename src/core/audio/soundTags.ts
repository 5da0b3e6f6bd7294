/** What a file says of its sound, beside its marks. Plain data; what is not known is left out. */
export interface SoundTags {
  readonly title?: string
  /** beats a minute */
  readonly bpm?: number
  /** beats of the whole file, where it holds whole ones */
  readonly beats?: number
  /** beats of a bar, and the note that is one beat (4 = a quarter) */
  readonly metre?: { readonly beats: number; readonly unit: number }
  /** like `A minor` */
  readonly key?: string
  /** `YYYY-MM-DD` */
  readonly date?: string
  /** how it was made: a recipe as JSON */
  readonly recipe?: string
  /** the frame of the timeline at which it begins */
  readonly startFrame?: number
}

export const MADE_BY = 'Zumbet'

/** the name that a recipe has among the fields of a file */
const RECIPE_FIELD = 'ZUMBET_RECIPE'

/** As fields by name, the way files carry them that have fields of any name. */
export function tagFields(tags: SoundTags): [string, string][] {
  const { title, bpm, beats, metre, key, date, recipe, startFrame } = tags
  const fields: [string, string | undefined][] = [
    ['TITLE', title],
    ['DATE', date],
    ['ENCODER', MADE_BY],
    ['BPM', bpm === undefined ? undefined : plain(bpm)],
    ['BEATS', beats === undefined ? undefined : plain(beats)],
    ['METRE', metre && `${metre.beats}/${metre.unit}`],
    ['KEY', key],
    ['TIME_REFERENCE', startFrame === undefined ? undefined : String(startFrame)],
    [RECIPE_FIELD, recipe],
  ]
  return fields.filter((field): field is [string, string] => field[1] !== undefined)
}

const plain = (value: number) => String(Number(value.toFixed(4)))
