import { timeText } from '../common/formats'
import { store, useSession } from '../session/state/store'
import { timelineOf } from '../session/timeline/mixing'
import { WholeSet } from './WholeSet'

/** What the timeline holds, in a line. */
export function TimelineHead() {
  const session = useSession((state) => state.history.present)
  const knowledge = useSession((state) => state.knowledge)
  void knowledge
  const { laid, rate, arrangement } = timelineOf(store.getState())
  const tempi = arrangement.tempoLine.map(({ bpm }) => Math.round(bpm))
  const [least, most] = [Math.min(...tempi), Math.max(...tempi)]
  return (
    <>
      <h2 className="wide text-[22px]">Timeline</h2>
      <div
        role="group"
        aria-label="Timeline facts"
        className="roomy-only flex max-h-[24px] min-w-0 flex-wrap gap-x-3 overflow-hidden pt-1 text-[12.5px] text-soft"
      >
        <span>
          {session.parts.length} {session.parts.length === 1 ? 'part' : 'parts'}
        </span>
        <span>{timeText(laid.frames / rate)}</span>
        <span>{least === most ? least : `${least} to ${most}`} BPM</span>
      </div>
      <WholeSet />
    </>
  )
}
