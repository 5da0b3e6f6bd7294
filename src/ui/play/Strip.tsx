import { type PointerEvent, useEffect, useMemo, useRef, useState } from 'react'
import { asOutput, asSource, planOf } from '../../core'
import { type PickMark, partFacts, pickSpan, playedRecipe, type Source, soundKey } from '../../session'
import { type View, xOf } from '../bench/lanes/geometry'
import { SecondsRuler } from '../bench/lanes/SecondsRuler'
import { sharpCanvas } from '../common/canvas'
import { useDrag } from '../common/drag'
import { timeText } from '../common/formats'
import { eachFrame } from '../common/frames'
import { laneColour } from '../common/looks'
import { useSize } from '../common/useSize'
import { playback, seek } from '../session/hear/listening'
import { holdPlace, letPlaceGo, movePlace, rollPlace, setShownPlaces } from '../session/play/hand'
import { heardVariant, setPick } from '../session/play/picks'
import { renderKey } from '../session/render/renders'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { clampStrip, type Detail, drawStrip, zoomStrip } from './stripDrawing'
import { useDetail } from './useDetail'

const OVERVIEW_PX = 38
const RULER_PX = 20
const DETAIL_PX = 128
/** so much of a turn of the wheel leads the hand by one pixel */
const WHEEL_PX = 10

/**
 * The result that is heard, on its own time: all of it above, the part that is looked at below. It is drawn at once
 * from what the source has there, and as it really is as far as it was rendered.
 */
export function Strip({ source }: { source: Source }) {
  const box = useRef<HTMLDivElement>(null)
  const [widthPx] = useSize(box)
  const variant = useSession((state) => heardVariant(state, source))
  const facts = partFacts(source)
  const recipe = playedRecipe(source, variant)
  const { map } = useMemo(() => planOf(recipe, facts ?? { frames: 1, sampleRate: 48_000 }), [recipe, facts])
  const frames = map.outputFrames
  const rate = facts?.sampleRate ?? 48_000
  const theme = useSession((state) => state.outlook.theme)
  const own = useSession((state) => state.loads[soundKey(source)]?.facts)
  const render = useSession((state) => (variant === undefined ? undefined : state.renders[variant]))
  const isFresh = variant === undefined || (render?.status === 'done' && render.key === renderKey(source, recipe))
  const drawn = variant === undefined ? own : isFresh ? render?.facts : undefined
  const [view, setView] = useState<View>({ start: 0, span: frames })
  // another result begins with all of it
  useEffect(() => setView({ start: 0, span: frames }), [frames])
  const detail = useDetail(source, variant, view, widthPx)
  const colour = laneColour(source.variants.find(({ id }) => id === variant)?.methodId)

  const all = useRef<HTMLCanvasElement>(null)
  const part = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    const paint = (canvas: HTMLCanvasElement | null, heightPx: number, shown: View, close?: Detail) => {
      const ready = sharpCanvas(canvas, widthPx, heightPx)
      if (!ready || theme === undefined) return
      drawStrip(ready.context, {
        view: shown,
        widthPx,
        heightPx,
        drawn: drawn?.overview,
        expected: own?.overview,
        sourceAt: (frame) => map.sourceAt(asOutput(frame)),
        detail: close,
        colour: ready.colour(colour.slice(4, -1)),
        faint: ready.colour('--faint'),
        rule: ready.colour('--rule'),
      })
    }
    paint(all.current, OVERVIEW_PX, { start: 0, span: frames })
    paint(part.current, DETAIL_PX, view, detail)
  }, [widthPx, drawn, own, map, view, detail, theme, colour, frames])

  const picks = useSession((state) => state.history.present.picks)
  const shown = picks.filter((pick) => pick.source === source.id && (pick.variant ?? undefined) === variant)
  const frameAt = (event: PointerEvent, shownView: View) => {
    const left = box.current?.getBoundingClientRect().left ?? 0
    const x = Math.max(0, Math.min(widthPx, event.clientX - left))
    return shownView.start + (x / widthPx) * shownView.span
  }
  const go = (frame: number) => seek(map.sourceAt(asOutput(Math.max(0, Math.min(frames - 1, frame)))))

  const overviewDrag = useDrag<number, HTMLDivElement>('strip', {
    begin(event) {
      const frame = frameAt(event, { start: 0, span: frames })
      setView((now) => clampStrip({ start: frame - now.span / 2, span: now.span }, frames, rate))
      return frame
    },
    move(event) {
      const frame = frameAt(event, { start: 0, span: frames })
      setView((now) => clampStrip({ start: frame - now.span / 2, span: now.span }, frames, rate))
    },
    end(event, { moved }) {
      if (!moved) go(frameAt(event, { start: 0, span: frames }))
    },
  })
  const hand = useSession((state) => state.outlook.hand.on)
  const placeAt = (event: PointerEvent) => map.sourceAt(asOutput(Math.max(0, frameAt(event, view))))
  const detailDrag = useDrag<View, HTMLDivElement>('strip-detail', {
    begin(event) {
      if (hand) holdPlace(source, placeAt(event))
      return view
    },
    move: (event, { start, byPx }) =>
      hand
        ? movePlace(placeAt(event))
        : setView(clampStrip({ start: start.start - (byPx / widthPx) * start.span, span: start.span }, frames, rate)),
    end(event, { moved }) {
      if (hand) letPlaceGo()
      else if (!moved) go(frameAt(event, view))
    },
  })

  const field = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const element = field.current
    if (!element) return
    const onWheel = (event: WheelEvent) => {
      event.preventDefault()
      const x = event.clientX - element.getBoundingClientRect().left
      // under the hand it leads; with Ctrl it zooms as ever
      if (hand && !event.ctrlKey) {
        const sourceAt = (px: number) => map.sourceAt(asOutput(Math.max(0, view.start + (px / widthPx) * view.span)))
        const by = event.deltaX || event.deltaY
        rollPlace(source, sourceAt(x + by / WHEEL_PX) - sourceAt(x), sourceAt(x))
        return
      }
      setView((now) =>
        event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)
          ? clampStrip(
              { start: now.start + ((event.deltaX || event.deltaY) / widthPx) * now.span, span: now.span },
              frames,
              rate,
            )
          : zoomStrip(now, x, Math.exp(-event.deltaY * 0.003), frames, rate, widthPx),
      )
    }
    element.addEventListener('wheel', onWheel, { passive: false })
    return () => element.removeEventListener('wheel', onWheel)
  }, [frames, rate, widthPx, hand, map, view, source])
  useEffect(() => {
    const sourceAt = (frame: number) => map.sourceAt(asOutput(Math.max(0, Math.min(frames - 1, frame))))
    setShownPlaces(sourceAt(view.start), sourceAt(view.start + view.span))
  }, [map, view, frames])

  const zoom = (factor: number) => setView((now) => zoomStrip(now, widthPx / 2, factor, frames, rate, widthPx))
  const window = {
    left: (view.start / frames) * widthPx,
    width: Math.max(2, (view.span / frames) * widthPx),
  }

  return (
    <section
      ref={box}
      aria-label="Strip"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: the strip is scrolled and zoomed by keys
      tabIndex={0}
      className="relative mx-5 border border-rule bg-well outline-offset-2"
      onKeyDown={(event) => {
        if (event.target !== event.currentTarget) return
        const by = { ArrowLeft: -0.2, ArrowRight: 0.2 }[event.key]
        if (by !== undefined) setView((now) => clampStrip({ ...now, start: now.start + by * now.span }, frames, rate))
        else if (event.key === '+' || event.key === '=') zoom(1.5)
        else if (event.key === '-') zoom(1 / 1.5)
        else if (event.key === 'Home') setView({ start: 0, span: frames })
        else return
        event.preventDefault()
        event.stopPropagation()
      }}
    >
      <div
        className="relative cursor-pointer touch-none border-b border-rule"
        style={{ height: OVERVIEW_PX }}
        {...overviewDrag}
      >
        <canvas ref={all} role="img" aria-label="All of the result" style={{ width: widthPx, height: OVERVIEW_PX }} />
        {shown.map((pick) => (
          <PickBand key={pick.id} source={source} pick={pick} view={{ start: 0, span: frames }} widthPx={widthPx} low />
        ))}
        <div
          className="pointer-events-none absolute inset-y-0 border-x border-text bg-[color-mix(in_srgb,var(--text)_9%,transparent)]"
          style={window}
        />
      </div>
      <SecondsRuler
        label="Seconds of the result"
        view={view}
        widthPx={widthPx}
        heightPx={RULER_PX}
        sampleRate={rate}
        className="bg-ground"
      />
      <div
        ref={field}
        className={`relative touch-none overflow-hidden ${hand ? 'cursor-grab active:cursor-grabbing' : 'cursor-text'}`}
        style={{ height: DETAIL_PX }}
        {...detailDrag}
      >
        <canvas
          ref={part}
          role="img"
          aria-label={`The result from ${timeText(view.start / rate)} to ${timeText((view.start + view.span) / rate)}`}
          style={{ width: widthPx, height: DETAIL_PX }}
        />
        {shown.map((pick) => (
          <PickBand key={pick.id} source={source} pick={pick} view={view} widthPx={widthPx} />
        ))}
        <Marking source={source} variant={variant} view={view} widthPx={widthPx} />
        <StripHead
          map={map}
          rate={rate}
          view={view}
          widthPx={widthPx}
          frames={frames}
          onTurn={setView}
          source={source}
        />
      </div>
      {!isFresh && (
        <span className="pointer-events-none absolute right-2 bottom-1.5 text-[11.5px] text-soft">
          outlined from the source
          {render?.status === 'running' ? `, rendered ${Math.round(100 * render.progress)} %` : ''}
        </span>
      )}
    </section>
  )
}

/** A pick where it lies; its ends are dragged. */
function PickBand({
  source,
  pick,
  view,
  widthPx,
  low = false,
}: {
  readonly source: Source
  readonly pick: PickMark
  readonly view: View
  readonly widthPx: number
  readonly low?: boolean
}) {
  const chosen = useSession((state) => state.outlook.pick === pick.id)
  const span = pickSpan(source, pick)
  const rate = partFacts(source)?.sampleRate ?? 48_000
  const fileSpan = { from: pick.from, to: pick.to }
  const moved = (edge: 'from' | 'to') => ({
    begin: (event: PointerEvent<HTMLSpanElement>) => {
      event.stopPropagation()
      setOutlook({ pick: pick.id, playPanel: 'pick' })
      return fileSpan[edge]
    },
    move: (_: unknown, { start, byPx, gesture }: { start: number; byPx: number; gesture: string }) => {
      if (!span) return
      // seconds of the result are turned into those of the file as they lie within the pick
      const perSecond = (pick.to - pick.from) / (span.to - span.from)
      const next = start + ((byPx / widthPx) * view.span * perSecond) / rate
      setPick(pick.id, { [edge]: Math.max(0, next) }, gesture)
    },
  })
  const from = useDrag<number, HTMLSpanElement>('pick-from', moved('from'))
  const to = useDrag<number, HTMLSpanElement>('pick-to', moved('to'))
  if (!span) return null
  const left = xOf(view, span.from * rate, widthPx)
  const right = xOf(view, span.to * rate, widthPx)
  if (right < 0 || left > widthPx) return null
  return (
    <div
      className={`absolute ${low ? 'bottom-0 h-[5px]' : 'inset-y-0'} ${chosen ? 'bg-[color-mix(in_srgb,var(--tide)_34%,transparent)]' : 'bg-[color-mix(in_srgb,var(--tide)_16%,transparent)]'} ${low ? '' : 'border-x border-tide'} pointer-events-none`}
      style={{ left, width: Math.max(2, right - left) }}
    >
      {!low && (
        <>
          <span className="block truncate px-1.5 pt-0.5 text-[11px] text-text">{pick.name}</span>
          <span
            {...from}
            className="pointer-events-auto absolute inset-y-0 -left-1.5 w-3 cursor-ew-resize touch-none"
          />
          <span {...to} className="pointer-events-auto absolute inset-y-0 -right-1.5 w-3 cursor-ew-resize touch-none" />
        </>
      )}
    </div>
  )
}

/** From where a pick is being marked. */
function Marking({
  source,
  variant,
  view,
  widthPx,
}: {
  readonly source: Source
  readonly variant: string | undefined
  readonly view: View
  readonly widthPx: number
}) {
  const marking = useSession((state) => state.marking)
  if (marking === undefined) return null
  const span = pickSpan(source, { from: marking, to: marking + 1e-6, ...(variant !== undefined && { variant }) })
  const rate = partFacts(source)?.sampleRate ?? 48_000
  if (!span) return null
  return (
    <div
      className="pointer-events-none absolute inset-y-0 w-0.5 bg-tide"
      style={{ left: xOf(view, span.from * rate, widthPx) }}
    />
  )
}

function StripHead({
  map,
  rate,
  view,
  widthPx,
  frames,
  source,
  onTurn,
}: {
  readonly map: ReturnType<typeof planOf>['map']
  readonly rate: number
  readonly view: View
  readonly widthPx: number
  readonly frames: number
  readonly source: Source
  readonly onTurn: (view: View) => void
}) {
  const line = useRef<HTMLDivElement>(null)
  const playing = useSession((state) => state.playing)
  const position = useSession((state) => state.outlook.positions[source.id] ?? 0)
  const here = () => map.outputAt(asSource(playback.playing === 'lane' ? playback.sourceFrame() : position))
  // biome-ignore lint/correctness/useExhaustiveDependencies: where it is follows from these
  useEffect(
    () =>
      eachFrame(() => {
        const frame = here()
        if (line.current) {
          line.current.style.transform = `translateX(${xOf(view, frame, widthPx)}px)`
          line.current.ariaValueNow = (frame / rate).toFixed(3)
          line.current.ariaValueText = timeText(frame / rate)
        }
        if (!playing) return false
        // it turns a page when the sound has left it
        if (view.span < frames && (frame < view.start || frame >= view.start + view.span))
          onTurn(clampStrip({ start: frame - 0.02 * view.span, span: view.span }, frames, rate))
        return true
      }),
    [map, rate, view, widthPx, playing, position, frames, onTurn],
  )
  return (
    <div
      ref={line}
      role="slider"
      tabIndex={0}
      aria-label="Position in the result"
      aria-valuemin={0}
      aria-valuemax={frames / rate}
      aria-valuenow={here() / rate}
      className="absolute inset-y-0 left-0 w-px bg-text will-change-transform"
      onKeyDown={(event) => {
        const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
        if (by === undefined) return
        event.preventDefault()
        event.stopPropagation()
        const step = (event.shiftKey ? 0.1 : 0.01) * view.span
        seek(map.sourceAt(asOutput(Math.max(0, Math.min(frames - 1, here() + by * step)))))
      }}
    />
  )
}
