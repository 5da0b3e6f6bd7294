import { useEffect, useRef } from 'react'
import { amplitudeToDb } from '../../core'
import { eachFrame, writeText } from '../common/frames'
import { playback } from '../session/hear/listening'
import { useSession } from '../session/state/store'

const FLOOR_DB = -54
const WINDOW_FRAMES = 1600
const FALL_DB_PER_FRAME = 0.6

/** The level that really goes out, and how often the output found nothing to play. */
export function Meter() {
  const bars = [useRef<HTMLSpanElement>(null), useRef<HTMLSpanElement>(null)]
  const gaps = useRef<HTMLSpanElement>(null)
  const playing = useSession((state) => state.playing || state.mixPlaying)

  // biome-ignore lint/correctness/useExhaustiveDependencies: refs stay the same
  useEffect(() => {
    let idle = 0
    const shown = [FLOOR_DB, FLOOR_DB]
    const draw = () => {
      const { channels } = playback.heard(WINDOW_FRAMES)
      channels.forEach((channel, c) => {
        let peak = 0
        for (const value of channel) peak = Math.max(peak, Math.abs(value))
        const db = peak > 0 ? amplitudeToDb(peak) : FLOOR_DB
        shown[c] = Math.max(FLOOR_DB, db, (shown[c] as number) - FALL_DB_PER_FRAME)
        const bar = bars[c]?.current
        if (bar) bar.style.transform = `scaleX(${Math.min(1, 1 - (shown[c] as number) / FLOOR_DB)})`
      })
      writeText(gaps.current, String(playback.underruns()))
      // after a stop the bars fall; then there is nothing left to draw
      idle = playing ? 0 : idle + 1
      return playing || idle < 100
    }
    return eachFrame(draw)
  }, [playing])

  return (
    <span className="flex items-center gap-3">
      <span className="flex w-[92px] flex-col gap-[3px]" aria-hidden="true" title="Output level, −54 to 0 dB">
        {bars.map((bar, c) => (
          <span key={c === 0 ? 'left' : 'right'} className="h-[5px] overflow-hidden rounded-[1px] bg-rule">
            <span
              ref={bar}
              className="block h-full origin-left bg-soft will-change-transform"
              style={{ transform: 'scaleX(0)' }}
            />
          </span>
        ))}
      </span>
      <span className="caption" title="Moments in which the output found nothing to play">
        gaps <span ref={gaps} data-testid="gaps" className="text-text" role="status" aria-label="Gaps in playback" />
      </span>
    </span>
  )
}
