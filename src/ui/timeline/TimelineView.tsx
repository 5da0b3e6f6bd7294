import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import { eachFrame } from '../common/frames'
import { playback } from '../session/hear/listening'
import { setOutlook } from '../session/state/outlook'
import { store, useSession } from '../session/state/store'
import { lookAtMix, timelineOf } from '../session/timeline/mixing'
import { type BeatView, beatOfX, gridLines, LEFT_BEATS, scrolledBeats, xOfBeat, zoomedBeats } from './geometry'
import { PartPanel } from './PartPanel'
import { Rows } from './Rows'
import { Ruler } from './Ruler'
import { TempoCurve } from './TempoCurve'
import { ToolBar } from './ToolBar'

/** where the playhead comes back to when it leaves the right edge, as a share of the width */
const PAGE_AT = 0.08

/** Do these sounds work together, at this tempo? Parts against bars under one tempo line, heard together. */
export function TimelineView() {
  const session = useSession((state) => state.history.present)
  const knowledge = useSession((state) => state.knowledge)
  const view = useSession((state) => state.outlook.beats)
  const frame = useRef<HTMLDivElement>(null)
  const [widthPx, setWidth] = useState(0)
  const [drawing, setDrawing] = useState(false)
  const [point, setPoint] = useState<number | undefined>()

  useEffect(lookAtMix, [])
  useLayoutEffect(() => {
    const element = frame.current
    if (!element) return
    const observer = new ResizeObserver(() => setWidth(element.clientWidth))
    observer.observe(element)
    setWidth(element.clientWidth)
    return () => observer.disconnect()
  }, [])

  // biome-ignore lint/correctness/useExhaustiveDependencies: the grid follows the metre, which is the session's
  const grid = useMemo(
    () => gridLines(view, widthPx, timelineOf(store.getState()).metre),
    [view, widthPx, session.beatsPerBar, session.metre],
  )
  void knowledge

  useEffect(() => {
    const element = frame.current
    if (!element) return
    const onWheel = (event: WheelEvent) => {
      if (event.ctrlKey || event.metaKey) {
        event.preventDefault()
        const x = event.clientX - element.getBoundingClientRect().left
        setBeats((now) => zoomedBeats(now, 1.0018 ** -event.deltaY, beatOfX(now, x, element.clientWidth)))
      } else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        event.preventDefault()
        setBeats((now) => scrolledBeats(now, (event.deltaX || event.deltaY) / element.clientWidth))
      }
    }
    element.addEventListener('wheel', onWheel, { passive: false })
    return () => element.removeEventListener('wheel', onWheel)
  }, [])

  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <ToolBar drawing={drawing} onDrawing={setDrawing} />
      <div ref={frame} className="relative flex min-h-0 flex-1 flex-col overflow-hidden" data-testid="timeline">
        <Ruler view={view} widthPx={widthPx} grid={grid} />
        <TempoCurve view={view} widthPx={widthPx} grid={grid} drawing={drawing} chosen={point} onChoose={setPoint} />
        <div className="flex min-h-0 flex-1 flex-col overflow-x-hidden overflow-y-auto">
          <Rows view={view} widthPx={widthPx} grid={grid} />
        </div>
        <Playhead view={view} widthPx={widthPx} />
      </div>
      <PartPanel />
    </div>
  )
}

/** Change what of the timeline is in sight. */
export function setBeats(next: (view: BeatView) => BeatView) {
  setOutlook(({ beats }) => ({ beats: next(beats) }))
}

/** See everything that lies there. */
export function fitBeats() {
  const { laid, tempo, rate } = timelineOf(store.getState())
  const end = laid.frames > 0 ? tempo.beatAt(laid.frames / rate) : 32
  setBeats(() => ({ start: LEFT_BEATS, span: Math.max(8, 1.04 * (end - LEFT_BEATS)) }))
}

/** The moment that is heard, drawn in every animation frame. When it leaves the sight, the sight follows. */
function Playhead({ view, widthPx }: { readonly view: BeatView; readonly widthPx: number }) {
  const line = useRef<HTMLDivElement>(null)
  const playing = useSession((state) => state.mixPlaying)
  const beat = useSession((state) => state.outlook.beat)
  useEffect(() => {
    const draw = () => {
      const at = playing ? playback.beat() : beat
      const x = xOfBeat(view, at, widthPx)
      if (line.current) {
        line.current.style.transform = `translateX(${Math.round(x)}px)`
        line.current.style.visibility = x < -1 || x > widthPx ? 'hidden' : 'visible'
      }
      if (playing && (x > widthPx || x < 0) && at >= 0) setBeats(({ span }) => ({ span, start: at - PAGE_AT * span }))
      return playing
    }
    return eachFrame(draw)
  }, [view, widthPx, playing, beat])
  return (
    <div
      ref={line}
      aria-hidden="true"
      className="pointer-events-none absolute top-[24px] bottom-0 left-0 w-0 border-l-[1.5px] border-text will-change-transform"
    >
      <span className="absolute -left-[5px] border-x-[5px] border-t-[6px] border-x-transparent border-t-text" />
    </div>
  )
}
