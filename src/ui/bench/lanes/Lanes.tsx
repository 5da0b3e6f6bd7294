import { type PointerEvent, type RefObject, useCallback, useEffect, useMemo, useRef } from 'react'
import { MAX_VARIANTS, partFacts, type Source } from '../../../session'
import { useDrag } from '../../common/drag'
import { timeText } from '../../common/formats'
import { eachFrame } from '../../common/frames'
import { useSize } from '../../common/useSize'
import { addVariant } from '../../session/acts'
import { setSelection } from '../../session/edits'
import { laneGains, playback, seek } from '../../session/hear/listening'
import { addJoined } from '../../session/joins'
import { setOutlook } from '../../session/state/outlook'
import { activeLane, store, useSession } from '../../session/state/store'
import { useLead } from '../../session/timing'
import { FilmStrip } from '../film/FilmStrip'
import { FILM_PX } from '../film/strip'
import { useFilmTime } from '../film/useFilmTime'
import { MethodMenu } from '../MethodMenu'
import { CUES_PX, CueStrip, useHasCues } from '../marks/CueStrip'
import { MARKS_PX, Marks } from '../marks/Marks'
import { LanePins } from '../timing/LanePins'
import { OffGridPlot, PLOT_PX } from '../timing/OffGridPlot'
import { SpeedStrip } from '../timing/SpeedStrip'
import { DisplayMenu } from './DisplayMenu'
import { selectionPx } from './draw'
import { clampView, follow, frameAt, HEAD_PX, LEGEND_PX, pan, type View, wholeView, xOf, zoomAt } from './geometry'
import { type Hold, press, rangeOf } from './gesture'
import { Lane } from './Lane'
import { Legend } from './Legend'
import { SecondsRuler } from './SecondsRuler'

const RULER_PX = 26
const MARKED_PX = RULER_PX + MARKS_PX
const LANE_MIN_PX = 60
const LANE_MAX_PX = 150

/**
 * The reference and all variants, one lane each, on one time axis: the source's. Dragging selects the loop, a click
 * moves the playhead, the wheel zooms and scrolls.
 */
export function Lanes({ source }: { source: Source }) {
  const frames = partFacts(source)?.frames ?? 1
  const sampleRate = partFacts(source)?.sampleRate ?? 48_000
  const box = useRef<HTMLDivElement>(null)
  const field = useRef<HTMLDivElement>(null)
  const [widthPx, heightPx] = useSize(box)
  const laneWidth = Math.max(0, widthPx - HEAD_PX)
  const stored = useSession((state) => state.outlook.views[source.id])
  // the same view as long as it is the same: lanes are drawn again when it is another
  const view = useMemo(() => clampView(stored ?? wholeView(frames), frames, laneWidth), [stored, frames, laneWidth])
  const gains = useSession((state) =>
    laneGains(state, source)
      .map((gain) => gain.toFixed(6))
      .join(' '),
  )
    .split(' ')
    .map(Number)
  const active = useSession((state) => activeLane(state, source))
  const timing = useSession((state) => state.outlook.panel === 'timing')
  const Strip = useSession((state) => state.outlook.strip) === 'speed' ? SpeedStrip : OffGridPlot
  const lead = useLead(source)
  const filmTime = useFilmTime(source)
  const hasCues = useHasCues(source)
  const topPx = MARKED_PX + (hasCues ? CUES_PX : 0) + (filmTime ? FILM_PX : 0) + (timing ? PLOT_PX : 0)
  const looping = useSession((state) => state.outlook.looping)

  const count = source.variants.length + 1
  const laneHeight = Math.floor(Math.min(LANE_MAX_PX, Math.max(LANE_MIN_PX, (heightPx - topPx - LEGEND_PX) / count)))

  const setView = useCallback(
    (next: View) => setOutlook((outlook) => ({ views: { ...outlook.views, [source.id]: next } })),
    [source.id],
  )
  useWheel(field, view, frames, laneWidth, setView)

  const at = (event: PointerEvent) => {
    const left = field.current?.getBoundingClientRect().left ?? 0
    const x = Math.min(laneWidth, Math.max(0, event.clientX - left))
    return { x, frame: Math.min(frames, Math.max(0, frameAt(view, x, laneWidth))) }
  }

  const drag = useDrag<Hold, HTMLDivElement>('selection', {
    begin(event) {
      const { x, frame } = at(event)
      const { selection } = source
      const edges = selection && {
        ...selection,
        startX: xOf(view, selection.start, laneWidth),
        endX: xOf(view, selection.end, laneWidth),
      }
      return press(x, frame, edges, event.shiftKey)
    },
    move: (event, { start, gesture }) => setSelection(source.id, rangeOf(start, at(event).frame), gesture),
    end(event, { start, moved }) {
      if (!moved && !start.isEdge) {
        seek(start.frame)
        return
      }
      const range = rangeOf(start, moved ? at(event).frame : start.frame)
      const heard = playback.sourceFrame()
      if (playback.playing !== 'lane' || heard < range.start || heard >= range.end) seek(range.start)
    },
  })

  const range = source.selection && selectionPx(view, source.selection, laneWidth)
  return (
    <section
      ref={box}
      aria-label="Lanes"
      className="lanes relative min-h-0 flex-1 overflow-x-hidden overflow-y-auto bg-well"
    >
      <div className="sticky top-0 z-30 border-b border-rule bg-ground" style={{ height: topPx }}>
        <div className="flex" style={{ height: MARKED_PX }}>
          <div className="flex w-[208px] shrink-0 items-center border-r border-rule px-2">
            <MethodMenu
              label="Add a variant"
              disabled={count > MAX_VARIANTS}
              onChange={(methodId) => addVariant(source, methodId)}
              onJoin={() => addJoined(source)}
            >
              {count > MAX_VARIANTS ? 'No letters left' : '+ Add variant'}
            </MethodMenu>
            <span className="ml-auto">
              <DisplayMenu source={source} />
            </span>
          </div>
          <div>
            <SecondsRuler
              label="Seconds of the source"
              view={view}
              widthPx={laneWidth}
              heightPx={RULER_PX}
              sampleRate={sampleRate}
            />
            <Marks source={source} view={view} widthPx={laneWidth} />
          </div>
        </div>
        {hasCues && laneWidth > 0 && <CueStrip source={source} view={view} widthPx={laneWidth} headPx={HEAD_PX} />}
        {filmTime && laneWidth > 0 && (
          <FilmStrip source={source} time={filmTime} view={view} widthPx={laneWidth} headPx={HEAD_PX} />
        )}
        {timing && laneWidth > 0 && <Strip source={lead} view={view} widthPx={laneWidth} headPx={HEAD_PX} />}
      </div>
      <Lane
        source={source}
        variant={undefined}
        index={0}
        active={active === 'reference'}
        gain={gains[0] ?? 1}
        view={view}
        widthPx={laneWidth}
        heightPx={laneHeight}
        topPx={topPx}
      />
      {source.variants.map((variant, i) => (
        <Lane
          key={variant.id}
          source={source}
          variant={variant}
          index={i + 1}
          active={active === variant.id}
          gain={gains[i + 1] ?? 1}
          view={view}
          widthPx={laneWidth}
          heightPx={laneHeight}
          topPx={topPx}
        />
      ))}
      <div
        ref={field}
        className="absolute z-10 cursor-text touch-none overflow-hidden"
        style={{ left: HEAD_PX, top: topPx, width: laneWidth, height: laneHeight * count }}
        {...drag}
      >
        {range && (
          <div
            className="absolute inset-y-0 border-x border-tide bg-[var(--tide-wash)]"
            data-looping={looping}
            style={{ left: range.left, width: range.width, opacity: looping ? 1 : 0.55 }}
          >
            <span className="absolute inset-y-0 -left-1.5 w-3 cursor-ew-resize" />
            <span className="absolute inset-y-0 -right-1.5 w-3 cursor-ew-resize" />
          </div>
        )}
        {timing && Strip === OffGridPlot && <LanePins source={lead} view={view} widthPx={laneWidth} />}
        <Playhead source={source} view={view} widthPx={laneWidth} />
      </div>
      {count > 1 && <Legend />}
    </section>
  )
}

/** Drawn straight from playback in each animation frame; its slider twin is what keys and screen readers hold. */
function Playhead({ source, view, widthPx }: { source: Source; view: View; widthPx: number }) {
  const line = useRef<HTMLDivElement>(null)
  const playing = useSession((state) => state.playing)
  const position = useSession((state) => state.outlook.positions[source.id] ?? 0)
  const sampleRate = partFacts(source)?.sampleRate ?? 48_000
  const frames = partFacts(source)?.frames ?? 1

  useEffect(() => {
    const draw = () => {
      const frame = playback.playing === 'lane' ? playback.sourceFrame() : position
      if (line.current) {
        line.current.style.transform = `translateX(${xOf(view, frame, widthPx)}px)`
        line.current.ariaValueNow = (frame / sampleRate).toFixed(3)
        line.current.ariaValueText = timeText(frame / sampleRate)
      }
      if (!playing) return false
      const turned = follow(view, frame, frames, widthPx)
      if (turned !== view) setOutlook((outlook) => ({ views: { ...outlook.views, [source.id]: turned } }))
      return true
    }
    return eachFrame(draw)
  }, [view, widthPx, playing, position, sampleRate, frames, source.id])

  return (
    <div
      ref={line}
      role="slider"
      tabIndex={0}
      aria-label="Playhead"
      aria-valuemin={0}
      aria-valuemax={frames / sampleRate}
      aria-valuenow={position / sampleRate}
      className="absolute inset-y-0 left-0 w-px bg-text will-change-transform"
      onKeyDown={(event) => {
        const step = event.key === 'ArrowRight' ? 0.01 : event.key === 'ArrowLeft' ? -0.01 : 0
        if (step === 0) return
        event.preventDefault()
        event.stopPropagation()
        seek(playback.sourceFrame() + step * sampleRate * (event.shiftKey ? 10 : 1))
      }}
    />
  )
}

/**
 * The wheel scrolls sideways and zooms up and down; a pinch zooms. React's own wheel listener may not stop the page.
 */
function useWheel(
  field: RefObject<HTMLDivElement | null>,
  view: View,
  frames: number,
  widthPx: number,
  setView: (view: View) => void,
) {
  useEffect(() => {
    const element = field.current
    if (!element) return
    const onWheel = (event: WheelEvent) => {
      event.preventDefault()
      const sideways = event.shiftKey ? event.deltaY : event.deltaX
      if (Math.abs(sideways) > Math.abs(event.shiftKey ? 0 : event.deltaY)) {
        setView(pan(view, (sideways / widthPx) * view.span, frames, widthPx))
      } else {
        const x = event.clientX - element.getBoundingClientRect().left
        setView(zoomAt(view, x, Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.002)), frames, widthPx))
      }
    }
    element.addEventListener('wheel', onWheel, { passive: false })
    return () => element.removeEventListener('wheel', onWheel)
  })
}

/** Zoom and scroll for keys: by a factor around the playhead, or by a share of the view. */
export function moveView(source: Source, how: { zoom?: number; scroll?: number; fit?: boolean }) {
  const frames = partFacts(source)?.frames
  if (!frames) return
  const widthPx = 1000
  const { outlook } = store.getState()
  const view = clampView(outlook.views[source.id] ?? wholeView(frames), frames, 0)
  let next = view
  if (how.zoom) {
    const head = xOf(view, playback.sourceFrame(), widthPx)
    next = zoomAt(view, head >= 0 && head <= widthPx ? head : widthPx / 2, how.zoom, frames, widthPx)
  }
  if (how.scroll) next = pan(view, how.scroll * view.span, frames, widthPx)
  if (how.fit) {
    const { selection } = source
    const close = selection && {
      start: selection.start - 0.05 * (selection.end - selection.start),
      span: 1.1 * (selection.end - selection.start),
    }
    const whole = wholeView(frames)
    // a second press goes back to the whole
    next = close && view.span > (close.span as number) * 1.01 ? clampView(close, frames, widthPx) : whole
  }
  setOutlook((current) => ({ views: { ...current.views, [source.id]: next } }))
}
