/**
 * How far ahead sound is written.
 * Little is enough for a quiet machine: a change of the loop or the click is then heard soon.
 * Where it came near to running dry, far more is written for a while, and for twice as long each time it happens again.
 */
export function createDepth() {
  let wary = 0
  let times = 0
  return {
    /**
     * Seconds to be written ahead now.
     * @param left  seconds that are still written; undefined before there were any.
     * @param written  seconds written since this was asked for last.
     */
    seconds(left: number | undefined, written: number): number {
      const wasWary = wary > 0
      wary = Math.max(0, wary - written)
      if (left !== undefined && left < NEAR_SECONDS) {
        if (!wasWary) times++
        wary = Math.min(MOST_WARY_SECONDS, WARY_SECONDS * 2 ** (times - 1))
      }
      return wary > 0 ? WARY_AHEAD_SECONDS : AHEAD_SECONDS
    },
  }
}

const AHEAD_SECONDS = 0.095
const WARY_AHEAD_SECONDS = 0.4
/** so little left is near to running dry */
const NEAR_SECONDS = 0.035
/** how long that is remembered, in seconds of sound: the first time, and at most */
const WARY_SECONDS = 30
const MOST_WARY_SECONDS = 1800
