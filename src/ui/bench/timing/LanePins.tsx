import type { KeyboardEvent } from 'react'
import { partFacts, partStart, type Source, type TimedDot } from '../../../session'
import { newGesture, useDrag } from '../../common/drag'
import { store } from '../../session/state/store'
import { dropPins, movePin } from '../../session/timing'
import { type View, xOf } from '../lanes/geometry'
import { useChosenDot, useDots } from './OffGridPlot'
import { lateText } from './words'

/** so many attacks have handles; with more in view one zooms in, or pulls dots */
const MOST_HANDLES = 160
const HANDLE_PX = 11
/** how near to the grid a pulled attack is laid on it, px */
const SNAP_PX = 4

/**
 * Attacks as handles over the lanes. Each stands where the attack is to sound in the source's own time, tied to where
 * it was played: pulled sideways, it is early or late.
 */
export function LanePins({
  source,
  view,
  widthPx,
}: {
  readonly source: Source
  readonly view: View
  readonly widthPx: number
}) {
  const dots = useDots(source)
  const chosen = useChosenDot(source, dots)
  const rate = partFacts(source)?.sampleRate ?? 48_000
  const xAt = (seconds: number) => xOf(view, seconds * rate, widthPx)
  const seen = dots.filter(({ own }) => xAt(own) > -HANDLE_PX && xAt(own) < widthPx + HANDLE_PX)
  if (seen.length > MOST_HANDLES) return null
  return (
    <div role="group" aria-label="Attacks in the lanes" className="pointer-events-none absolute inset-0 z-10">
      {seen.map((dot) => (
        <Handle
          key={dot.seconds}
          source={source}
          dot={dot}
          isChosen={dot === chosen}
          x={xAt(dot.own)}
          fromX={xAt(dot.seconds)}
          pxPerSecond={(widthPx * rate) / view.span}
        />
      ))}
    </div>
  )
}

function Handle({
  source,
  dot,
  isChosen,
  x,
  fromX,
  pxPerSecond,
}: {
  readonly source: Source
  readonly dot: TimedDot
  readonly isChosen: boolean
  readonly x: number
  readonly fromX: number
  readonly pxPerSecond: number
}) {
  const start = partStart(source)
  const moment = dot.seconds + start
  const drag = useDrag<number, HTMLButtonElement>('pin', {
    begin(event) {
      event.stopPropagation()
      store.setState({ chosenMoment: { sourceId: source.id, seconds: moment } })
      return dot.own
    },
    move(event, { start: own, byPx, gesture }) {
      const wanted = own + byPx / pxPerSecond
      const isFree = event.ctrlKey || event.metaKey
      const isNear = Math.abs(wanted - dot.bent) * pxPerSecond < SNAP_PX
      movePin(source, moment, (!isFree && isNear ? dot.bent : wanted) + start, gesture)
    },
  })
  function onKey(event: KeyboardEvent) {
    const way = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0
    if (way !== 0) {
      const ms = way * (event.shiftKey ? 10 : 1)
      movePin(source, moment, dot.own + start + ms / 1000, newGesture('pin'))
    } else if (event.key === 'Delete' || event.key === 'Backspace') dropPins(source, moment)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  const isMoved = Math.abs(x - fromX) > 0.5
  const colour = dot.byHand || isChosen ? 'var(--tide)' : 'var(--soft)'
  return (
    <>
      {isMoved && (
        <span
          className="absolute top-[5px] h-px"
          style={{ left: Math.min(x, fromX), width: Math.abs(x - fromX), background: colour }}
        />
      )}
      {(isMoved || isChosen) && (
        <span className="absolute inset-y-0 w-px opacity-50" style={{ left: x, background: colour }} />
      )}
      <button
        type="button"
        role="slider"
        aria-label={`Pull the attack at ${dot.seconds.toFixed(3)} s`}
        aria-valuenow={dot.own}
        aria-valuetext={lateText(1000 * dot.ownOffset)}
        title={`${lateText(1000 * dot.ownOffset)}. Pull it sideways, Ctrl lets it go free of the grid; arrow keys 1 ms, Shift 10; Delete resets it`}
        className="pointer-events-auto absolute top-0 h-[11px] w-[9px] -translate-x-1/2 cursor-ew-resize touch-none"
        style={{ left: x }}
        onFocus={() => store.setState({ chosenMoment: { sourceId: source.id, seconds: moment } })}
        {...drag}
        onKeyDown={onKey}
      >
        <svg width="9" height="11" viewBox="0 0 9 11" aria-hidden="true">
          <path d="M4.5 1.5 8 6 4.5 10.5 1 6z" fill={colour} />
        </svg>
      </button>
    </>
  )
}
