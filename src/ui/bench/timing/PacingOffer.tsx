import { type Source, timingOf } from '../../../session'
import { knowledgeOf } from '../../session/know/knowledge'
import { useSession } from '../../session/state/store'
import { setPacing, useListeningText } from '../../session/timing'

/** so much is stretched before the way of it is heard */
const NOTICED = 1.03
/** %: what a line that is fitted is paced by, unless somebody says otherwise */
const FIRST_PERCENT = 80

/** Where one line of voice or tune is fitted: an offer to let vowels and pauses give way, and what came of it. */
export function PacingOffer({ source }: { readonly source: Source }) {
  const kind = useSession((state) => knowledgeOf(state, source)?.material.kind)
  const listening = useListeningText(source)
  const { pacing, speedCurve } = timingOf(source)
  const { stretch } = source.target
  const isStretched = stretch > NOTICED || stretch < 1 / NOTICED
  if (!pacing && (kind !== 'single line' || !isStretched || speedCurve)) return null
  return (
    <p className="mt-1.5 flex items-center gap-2.5 text-[12.5px] text-soft" role="status" aria-label="Speech pacing">
      {listening ??
        (pacing
          ? `Paced as speech, ${pacing.percent} %: vowels and pauses give way. The curve is under Timing, Speed.`
          : 'Is somebody speaking? A voice stays clear when its vowels and pauses give way first.')}
      {!listening && (
        <button
          type="button"
          className="plain-button !h-6 shrink-0 !text-tide"
          onClick={() => void setPacing(source, pacing ? 0 : FIRST_PERCENT)}
        >
          {pacing ? 'As even as before' : 'Pace it as speech'}
        </button>
      )}
    </p>
  )
}
