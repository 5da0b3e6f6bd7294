/** What is known of a demo sound because it was made from a score: times in seconds from its first frame. */
export interface DemoTruth {
  readonly id: string
  /** name on the shelf */
  readonly name: string
  readonly file: string
  readonly seconds: number
  /** what it is for in the story, in one line */
  readonly about: string
  readonly attacks: readonly number[]
  /** tempo of the playing, where it has one */
  readonly bpm?: number
  readonly beatsPerBar?: number
  /** whole bars that the loop holds, and what hangs over behind them */
  readonly bars?: number
  readonly overhangSeconds?: number
  /** the tempo that the file name claims */
  readonly namedBpm?: number
  /** tempo bar by bar, where the playing drifts */
  readonly bpmByBar?: readonly number[]
  readonly notes?: readonly { readonly start: number; readonly end: number; readonly hz: number }[]
  /** pitch over time, where it glides: pairs of seconds and Hz */
  readonly glide?: readonly (readonly [number, number])[]
}
