import type { Source } from '../../../session'
import type { View } from '../lanes/geometry'

/** What is drawn of a source's timing over its lanes, on their time axis. */
export interface StripProps {
  readonly source: Source
  readonly view: View
  readonly widthPx: number
  /** what lies left of the time axis */
  readonly headPx: number
}
