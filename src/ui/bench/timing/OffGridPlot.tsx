import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from 'react'
import { partFacts, partStart, type Source, type TimedDot, timedDots } from '../../../session'
import { sharpCanvas } from '../../common/canvas'
import { newGesture, useDrag } from '../../common/drag'
import { hearMoment } from '../../session/hear/places'
import { knowledgeOf } from '../../session/know/knowledge'
import { store, useSession } from '../../session/state/store'
import { dropPins, movePin } from '../../session/timing'
import { dotAt, drawPlot, lateOf, msOfPx, PLOT_PX, type PlotShape, reachOf } from './plot'
import type { StripProps } from './strip'
import { lateText } from './words'

export { PLOT_PX }

/** how near to the grid a dragged dot is laid on it, px */
const SNAP_PX = 4

/** The attacks of a source against its grid. A dot is pulled up or down; what lies between its neighbours gives way. */
export function OffGridPlot({ source, view, widthPx, headPx }: StripProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const theme = useSession((state) => state.outlook.theme)
  const dots = useDots(source)
  const chosen = useChosenDot(source, dots)
  const [under, setUnder] = useState<TimedDot>()
  const [held, setHeld] = useState<number>()
  const rate = partFacts(source)?.sampleRate ?? 48_000
  // while a dot is dragged the plot does not change its reach under it
  const reach = held ?? reachOf(dots)
  const shape: PlotShape = useMemo(() => ({ view, widthPx, rate, reach }), [view, widthPx, rate, reach])
  const start = partStart(source)

  useEffect(() => {
    const ready = sharpCanvas(canvas.current, widthPx, PLOT_PX)
    if (!ready || theme === undefined) return
    const { context, colour } = ready
    const colours = {
      dot: colour('--lane-ref'),
      before: colour('--faint'),
      grid: colour('--soft'),
      hand: colour('--tide'),
      rule: colour('--rule'),
      strain: colour('--harm'),
    }
    drawPlot(context, dots, shape, colours, chosen)
  }, [dots, shape, theme, chosen, widthPx])

  const dotUnder = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    return dotAt(dots, event.clientX - box.left, event.clientY - box.top, shape)
  }
  const choose = (dot: TimedDot) =>
    store.setState({ chosenMoment: { sourceId: source.id, seconds: dot.seconds + start } })
  const drag = useDrag<TimedDot, HTMLDivElement>('pin', {
    axis: 'y',
    begin(event) {
      const dot = dotUnder(event)
      if (!dot) return undefined
      choose(dot)
      setHeld(reach)
      return dot
    },
    move(event, { start: dot, byPx, gesture }) {
      const wanted = dot.own + msOfPx(byPx, reach) / 1000
      const near = Math.abs(msOfPx(SNAP_PX, reach)) / 1000
      const isFree = event.ctrlKey || event.metaKey
      const snapped = !isFree && Math.abs(wanted - dot.bent) < near ? dot.bent : wanted
      movePin(source, dot.seconds + start, snapped + start, gesture)
    },
    end: () => setHeld(undefined),
  })

  function onKey(event: KeyboardEvent) {
    const at = chosen ? dots.findIndex(({ seconds }) => seconds === chosen.seconds) : -1
    const nudge = (ms: number) =>
      chosen && movePin(source, chosen.seconds + start, chosen.own + start + ms / 1000, newGesture('pin'))
    if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') {
      const next = dots[Math.max(0, Math.min(dots.length - 1, at + (event.key === 'ArrowRight' ? 1 : -1)))]
      if (next) choose(next)
    } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      const way = event.key === 'ArrowUp' ? 1 : -1
      if (event.altKey && chosen) nudge(way * stepMs(dots, chosen))
      else nudge(way * (event.shiftKey ? 10 : 1))
    } else if (event.key === 'Enter' && chosen) hearMoment(source, chosen.seconds)
    else if ((event.key === 'Delete' || event.key === 'Backspace') && chosen) dropPins(source, chosen.seconds + start)
    else return
    event.preventDefault()
    event.stopPropagation()
  }

  const told = under ?? chosen
  return (
    <div className="flex border-t border-rule" style={{ height: PLOT_PX }}>
      <div
        className="flex shrink-0 flex-col justify-between border-r border-rule py-1.5 pr-2 pl-4"
        style={{ width: headPx }}
      >
        <span className="caption flex justify-between">
          <span>Off-grid</span>
          <span>late {reach} ms</span>
        </span>
        <span className="truncate text-[12px] text-soft">
          {told
            ? `${told.seconds.toFixed(3)} s: ${lateText(1000 * told.ownOffset)}`
            : `${dots.length} attacks against the grid`}
        </span>
        <span className="caption flex justify-between">
          <span>{told && told.own !== told.seconds ? `was ${lateText(1000 * told.offset)}` : ''}</span>
          <span>early {reach} ms</span>
        </span>
      </div>
      <div
        role="slider"
        tabIndex={0}
        aria-label="Off-grid"
        aria-orientation="vertical"
        aria-valuemin={-reach}
        aria-valuemax={reach}
        aria-valuenow={chosen ? Number(lateOf(chosen, 'now').toFixed(2)) : 0}
        aria-valuetext={
          chosen
            ? `attack ${dots.indexOf(chosen) + 1} of ${dots.length} at ${chosen.seconds.toFixed(3)} s, ${lateText(1000 * chosen.ownOffset)}`
            : 'no attack chosen: left and right choose one'
        }
        title="Pull a dot up or down; Ctrl lets it go free of the grid. Keys: left, right choose; up, down move 1 ms, Shift 10 ms, Alt a step; Enter loops it; Delete resets it"
        className="relative cursor-ns-resize touch-none"
        onKeyDown={onKey}
        onPointerLeave={() => setUnder(undefined)}
        onDoubleClick={() => chosen && hearMoment(source, chosen.seconds)}
        {...drag}
        onPointerMove={(event) => {
          setUnder(dotUnder(event))
          drag.onPointerMove(event)
        }}
      >
        <canvas ref={canvas} className="block" style={{ width: widthPx, height: PLOT_PX }} />
        {dots.length === 0 && (
          <span className="absolute inset-0 grid place-items-center text-soft">
            No grid yet: say the tempo above, or there is nothing struck here
          </span>
        )}
      </div>
    </div>
  )
}

/** One step of the grid at a dot, ms, as far as its neighbours tell. */
function stepMs(dots: readonly TimedDot[], dot: TimedDot): number {
  const other = dots.find(({ step }) => step !== dot.step)
  return other ? Math.abs((1000 * (other.straight - dot.straight)) / (other.step - dot.step)) : 10
}

/** A source's attacks against its grid. */
export function useDots(source: Source): readonly TimedDot[] {
  const found = useSession((state) => knowledgeOf(state, source))
  const grooves = useSession((state) => state.history.present.grooves)
  const { timing, hand, range, facts } = source
  // biome-ignore lint/correctness/useExhaustiveDependencies: dots follow from these parts of a source
  return useMemo(() => timedDots(source, found, grooves), [timing, hand, range, facts, found, grooves])
}

/** The dot that timing is about, if it is one of this source. */
export function useChosenDot(source: Source, dots: readonly TimedDot[]): TimedDot | undefined {
  const moment = useSession((state) => state.chosenMoment)
  if (moment?.sourceId !== source.id) return undefined
  const at = moment.seconds - partStart(source)
  return dots.find(({ seconds }) => Math.abs(seconds - at) < 1e-6)
}
