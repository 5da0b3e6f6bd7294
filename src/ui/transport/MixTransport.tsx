import { ChevronLeft, ChevronRight } from 'lucide-react'
import { useEffect, useRef } from 'react'
import { timeText } from '../common/formats'
import { eachFrame, TEXT_MS, writeText } from '../common/frames'
import { playback } from '../session/hear/listening'
import { store, useSession } from '../session/state/store'
import { goToNeighbour, goToSection, timelineOf, toggleMix } from '../session/timeline/mixing'
import { barText } from '../timeline/geometry'
import { PlayButton } from './PlayButton'

/** Play and stop the timeline; where it is; which section comes next. */
export function MixTransport() {
  const playing = useSession((state) => state.mixPlaying)
  const awaited = useSession((state) => state.mixAwaited)
  const empty = useSession((state) => state.history.present.parts.length === 0)
  const sections = useSession((state) => state.history.present.sections)
  const queued = useSession((state) => state.queuedJump)
  const next = sections.find(({ id }) => id === queued?.sectionId)
  return (
    <>
      <PlayButton playing={playing} awaited={awaited} disabled={empty} toggle={toggleMix} />
      <Clock />
      {sections.length > 0 && (
        <span role="group" aria-label="Go to a section" className="flex items-center">
          <button
            type="button"
            className="plain-button !px-1"
            aria-label="Section before"
            title="Section before (Shift N)"
            onClick={() => goToNeighbour(-1)}
          >
            <ChevronLeft size={16} />
          </button>
          <button
            type="button"
            className="plain-button !px-1"
            aria-label="Next section"
            title="Next section, on the next bar (N)"
            onClick={() => goToNeighbour(1)}
          >
            <ChevronRight size={16} />
          </button>
          {next && queued && (
            <button
              type="button"
              className="plain-button !text-tide"
              title="Let it go"
              onClick={() => goToSection(next.id)}
              data-testid="queued"
            >
              {next.name} at bar {barText(timelineOf(store.getState()).metre, queued.at).split('.')[0]}
            </button>
          )}
        </span>
      )}
    </>
  )
}

function Clock() {
  const bar = useRef<HTMLSpanElement>(null)
  const time = useRef<HTMLSpanElement>(null)
  const playing = useSession((state) => state.mixPlaying)
  const beat = useSession((state) => state.outlook.beat)
  const session = useSession((state) => state.history.present)
  // biome-ignore lint/correctness/useExhaustiveDependencies: bars and seconds follow the session's tempo line and metre
  useEffect(() => {
    const write = () => {
      const { metre, tempo } = timelineOf(store.getState())
      const at = playing ? playback.beat() : beat
      writeText(bar.current, at < -1e-6 ? 'count in' : barText(metre, at))
      writeText(time.current, timeText(Math.max(0, tempo.secondsAt(at))))
      return playing
    }
    return eachFrame(write, TEXT_MS)
  }, [playing, beat, session])
  return (
    <div className="flex items-end gap-4" role="group" aria-label="Position">
      <span className="flex w-[78px] flex-col leading-tight">
        <span className="caption">bar</span>
        <span ref={bar} className="text-[17px] font-[560]" data-testid="bar" />
      </span>
      <span className="flex w-[82px] flex-col leading-tight">
        <span className="caption">time</span>
        <span ref={time} className="pb-px text-[14px] text-soft" />
      </span>
    </div>
  )
}
