import { useEffect, useRef } from 'react'
import { sharpCanvas } from '../common/canvas'
import { useDrag } from '../common/drag'
import { store, useSession } from '../session/state/store'
import { snapped } from '../session/timeline/acts'
import {
  addTempoPoint,
  drawTempoLine,
  moveTempoPoint,
  removeTempoPoint,
  setTempoCurve,
} from '../session/timeline/edits'
import { timelineOf } from '../session/timeline/mixing'
import { type BeatView, beatOfX, type GridLine, tempiInSight, xOfBeat } from './geometry'

const CURVE_PX = 76
const PAD_PX = 10

interface CurveProps {
  readonly view: BeatView
  readonly widthPx: number
  readonly grid: readonly GridLine[]
  /** whether the pointer draws a line, rather than moving points */
  readonly drawing: boolean
  readonly chosen: number | undefined
  readonly onChoose: (point: number | undefined) => void
}

const CURVES = ['step', 'linear', 'log'] as const

/** The tempo over the bars: points that are moved, ramps between them, or a line that is drawn by hand. */
export function TempoCurve({ view, widthPx, grid, drawing, chosen, onChoose }: CurveProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const session = useSession((state) => state.history.present)
  const theme = useSession((state) => state.outlook.theme)
  const { arrangement, tempo } = timelineOf(store.getState())
  const line =
    session.tempoLine.length > 0 ? session.tempoLine : [{ beat: 0, bpm: session.bpm, curve: 'step' as const }]
  const scale = tempiInSight([...arrangement.tempoLine.map(({ bpm }) => bpm), ...line.map(({ bpm }) => bpm)])
  const yOf = (bpm: number) => PAD_PX + (1 - (bpm - scale.least) / (scale.most - scale.least)) * (CURVE_PX - 2 * PAD_PX)
  const bpmOf = (y: number) => scale.least + (1 - (y - PAD_PX) / (CURVE_PX - 2 * PAD_PX)) * (scale.most - scale.least)

  useEffect(() => {
    const ready = sharpCanvas(canvas.current, widthPx, CURVE_PX)
    if (!ready || theme === undefined) return
    const { context, colour } = ready
    context.clearRect(0, 0, widthPx, CURVE_PX)
    for (const { x, bar } of grid) {
      context.fillStyle = colour(bar === undefined ? '--rule' : '--edge')
      context.globalAlpha = bar === undefined ? 0.5 : 0.8
      context.fillRect(Math.round(x), 0, 1, CURVE_PX)
    }
    context.globalAlpha = 1
    const path = new Path2D()
    const y = (beat: number) =>
      PAD_PX + (1 - (tempo.bpmAt(beat) - scale.least) / (scale.most - scale.least)) * (CURVE_PX - 2 * PAD_PX)
    for (let x = 0; x <= widthPx; x++) {
      const at = y(beatOfX(view, x, widthPx))
      if (x === 0) path.moveTo(x, at)
      else path.lineTo(x, at)
    }
    const area = new Path2D(path)
    area.lineTo(widthPx, CURVE_PX)
    area.lineTo(0, CURVE_PX)
    area.closePath()
    context.fillStyle = colour('--tide')
    context.globalAlpha = 0.12
    context.fill(area)
    context.globalAlpha = 1
    context.strokeStyle = colour('--tide')
    context.lineWidth = 2
    context.stroke(path)
  }, [view, widthPx, grid, tempo, theme, scale.least, scale.most])

  const rising = (points: Map<number, number>) =>
    [...points].map(([beat, bpm]) => ({ beat, bpm })).sort((a, b) => a.beat - b.beat)
  const draw = useDrag<{ box: DOMRect; points: Map<number, number> }>('tempo-draw', {
    begin(event) {
      const box = event.currentTarget.getBoundingClientRect()
      if (!drawing) onChoose(undefined)
      return drawing ? { box, points: new Map() } : undefined
    },
    move(event, { start: { box, points }, gesture }) {
      // a quarter beat is as fine as a hand draws
      const beat = Math.max(0, Math.round(4 * beatOfX(view, event.clientX - box.left, widthPx)) / 4)
      points.set(beat, Math.min(1000, Math.max(5, bpmOf(event.clientY - box.top))))
      drawTempoLine(rising(points), gesture)
    },
  })

  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: points are buttons of their own, and numbers can be typed
    <div
      className={`relative shrink-0 touch-none overflow-hidden border-b border-edge bg-well select-none ${drawing ? 'cursor-crosshair' : ''}`}
      style={{ height: CURVE_PX }}
      data-testid="tempo-curve"
      onDoubleClick={(event) => {
        const box = event.currentTarget.getBoundingClientRect()
        if (!drawing) addTempoPoint(snapped(store.getState(), beatOfX(view, event.clientX - box.left, widthPx)))
      }}
      {...draw}
    >
      <canvas ref={canvas} role="img" aria-label="Tempo over the bars" style={{ width: widthPx, height: CURVE_PX }} />
      {[scale.most, scale.least].map((bpm, n) => (
        <span
          key={n === 0 ? 'most' : 'least'}
          className="caption pointer-events-none absolute right-1.5"
          style={n === 0 ? { top: 1 } : { bottom: 1 }}
        >
          {Math.round(bpm)} BPM
        </span>
      ))}
      {line.map((point, index) => (
        <TempoPoint
          // biome-ignore lint/suspicious/noArrayIndexKey: a point is told by its place in the line
          key={index}
          index={index}
          point={point}
          x={xOfBeat(view, point.beat, widthPx)}
          y={yOf(point.bpm)}
          perPx={{ beat: view.span / widthPx, bpm: (scale.most - scale.least) / (CURVE_PX - 2 * PAD_PX) }}
          chosen={chosen === index}
          passive={drawing}
          onChoose={() => onChoose(index)}
        />
      ))}
    </div>
  )
}

interface PointProps {
  readonly index: number
  readonly point: { readonly beat: number; readonly bpm: number; readonly curve: (typeof CURVES)[number] }
  readonly x: number
  readonly y: number
  readonly perPx: { readonly beat: number; readonly bpm: number }
  readonly chosen: boolean
  readonly passive: boolean
  readonly onChoose: () => void
}

function TempoPoint({ index, point, x, y, perPx, chosen, passive, onChoose }: PointProps) {
  const drag = useDrag<{ beat: number; bpm: number; y: number; perPx: PointProps['perPx'] }>('tempo', {
    begin(event) {
      event.stopPropagation()
      event.currentTarget.focus()
      onChoose()
      return { beat: point.beat, bpm: point.bpm, y: event.clientY, perPx }
    },
    move(event, { start, byPx, gesture }) {
      const fine = event.altKey ? 0.1 : 1
      const bpm = start.bpm - fine * (event.clientY - start.y) * start.perPx.bpm
      const beat = snapped(store.getState(), start.beat + byPx * start.perPx.beat, event.ctrlKey)
      moveTempoPoint(index, { beat, bpm: Math.min(1000, Math.max(5, Math.round(bpm * 10) / 10)) }, gesture)
    },
  })
  return (
    <span
      role="slider"
      tabIndex={0}
      aria-label={`Tempo ${index + 1}`}
      aria-valuenow={Number(point.bpm.toFixed(2))}
      aria-valuemin={5}
      aria-valuemax={1000}
      aria-valuetext={`${Number(point.bpm.toFixed(2))} BPM at beat ${Number(point.beat.toFixed(2))}, then ${point.curve}`}
      title={`${Number(point.bpm.toFixed(2))} BPM; drag, arrow keys, C: the way to the next point, Delete`}
      className={`absolute size-[13px] -translate-x-1/2 -translate-y-1/2 touch-none rounded-[2px] border-2 ${passive ? 'pointer-events-none' : 'cursor-move'} ${chosen ? 'border-text bg-tide' : 'border-tide bg-ground'} ${point.curve === 'step' ? '' : 'rotate-45'}`}
      style={{ left: x, top: y }}
      onFocus={onChoose}
      onKeyDown={(event) => {
        const by = event.shiftKey ? 10 : event.altKey ? 0.1 : 1
        const { beat, bpm } = point
        if (event.key === 'ArrowUp') moveTempoPoint(index, { beat, bpm: bpm + by }, 'tempo-keys')
        else if (event.key === 'ArrowDown') moveTempoPoint(index, { beat, bpm: bpm - by }, 'tempo-keys')
        else if (event.key === 'ArrowRight') moveTempoPoint(index, { beat: beat + by, bpm }, 'tempo-keys')
        else if (event.key === 'ArrowLeft') moveTempoPoint(index, { beat: beat - by, bpm }, 'tempo-keys')
        else if (event.key === 'Delete') removeTempoPoint(index)
        else if (event.key.toLowerCase() === 'c')
          setTempoCurve(index, CURVES[(CURVES.indexOf(point.curve) + 1) % CURVES.length] as (typeof CURVES)[number])
        else return
        event.preventDefault()
        event.stopPropagation()
      }}
      {...drag}
    />
  )
}
