import { type PointerEvent, useEffect, useRef, useState } from 'react'
import {
  bandShape,
  combShape,
  drawnDb,
  FINE_RANGE,
  type FilterPoint,
  filterReach,
  fineHzOf,
  passShape,
  peaksShape,
  tiltShape,
} from '../../core'
import { type FilterIntent, partFacts, type Source } from '../../session'
import { sharpCanvas } from '../common/canvas'
import { useDrag } from '../common/drag'
import { useSize } from '../common/useSize'
import { Choice } from '../fields/Choice'
import { Field } from '../fields/Field'
import { NumberField } from '../fields/NumberField'
import { noiseToShelf } from '../session/play/noise'
import { setFilter } from '../session/play/picks'
import { useSession } from '../session/state/store'
import { dbAt, drawnOver, HIGHEST_DB, hzAt, LOWEST_DB, nearest, xOfHz, yOfDb } from './filterCurve'

const HEIGHT_PX = 150
const FLAT: FilterIntent = { points: [{ hz: 1000, db: 0 }], at: 'before' }

type How = 'draw' | 'points'

const SHAPES = [
  { name: 'Low pass', title: 'All below an edge', make: () => passShape('low', 1000) },
  { name: 'High pass', title: 'All above an edge', make: () => passShape('high', 400) },
  { name: 'Band', title: 'What lies between two edges', make: () => bandShape(400, 2500) },
  { name: 'Tilt', title: '3 dB an octave down', make: () => tiltShape(-3) },
] as const

/** A gain drawn over the spectrum: by hand, by points, or from a shape; on the source or on the result. */
export function FilterPanel({ source }: { source: Source }) {
  const box = useRef<HTMLDivElement>(null)
  const canvas = useRef<HTMLCanvasElement>(null)
  const [widthPx] = useSize(box)
  const [how, setHow] = useState<How>('draw')
  const [spacing, setSpacing] = useState(220)
  const [seed, setSeed] = useState(1)
  const theme = useSession((state) => state.outlook.theme)
  const filter: FilterIntent = source.filter ?? FLAT
  const rate = partFacts(source)?.sampleRate ?? 48_000
  const { points } = filter
  const isFlat = points.every(({ db }) => db === 0)
  const set = (next: Partial<FilterIntent>, gesture?: string) => setFilter(source, { ...filter, ...next }, gesture)

  useEffect(() => {
    const ready = sharpCanvas(canvas.current, widthPx, HEIGHT_PX)
    if (!ready || theme === undefined) return
    const { context, colour } = ready
    context.clearRect(0, 0, widthPx, HEIGHT_PX)
    context.font = '500 10px "Archivo Variable", sans-serif'
    for (const db of [12, 0, -20, -40, -60]) {
      const y = Math.round(yOfDb(db, HEIGHT_PX)) + 0.5
      context.fillStyle = colour(db === 0 ? '--edge' : '--rule')
      context.fillRect(0, y, widthPx, 1)
      context.fillStyle = colour('--soft')
      context.fillText(`${db > 0 ? '+' : db < 0 ? '−' : ''}${Math.abs(db)} dB`, 4, y - 3)
    }
    for (const hz of [20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000]) {
      const x = Math.round(xOfHz(hz, widthPx)) + 0.5
      context.fillStyle = colour('--rule')
      context.fillRect(x, 0, 1, HEIGHT_PX)
      context.fillStyle = colour('--soft')
      context.fillText(hz >= 1000 ? `${hz / 1000} k` : String(hz), x + 3, HEIGHT_PX - 4)
    }
    context.strokeStyle = colour('--tide')
    context.lineWidth = 1.8
    context.beginPath()
    for (let x = 0; x <= widthPx; x++) {
      const y = yOfDb(drawnDb(filter, hzAt(x, widthPx)), HEIGHT_PX)
      if (x === 0) context.moveTo(x, y)
      else context.lineTo(x, y)
    }
    context.stroke()
    if (points.length > 60) return
    context.fillStyle = colour('--tide')
    for (const { hz, db } of points) {
      context.beginPath()
      context.arc(xOfHz(hz, widthPx), yOfDb(db, HEIGHT_PX), 3.4, 0, 7)
      context.fill()
    }
  }, [widthPx, filter, points, theme])

  const at = (event: PointerEvent<HTMLDivElement>): FilterPoint => {
    const frame = event.currentTarget.getBoundingClientRect()
    return { hz: hzAt(event.clientX - frame.left, widthPx), db: dbAt(event.clientY - frame.top, HEIGHT_PX) }
  }
  const last = useRef<FilterPoint | undefined>(undefined)
  const drag = useDrag<number, HTMLDivElement>('filter', {
    axis: 'either',
    begin(event) {
      const here = at(event)
      last.current = here
      if (how === 'draw') return -1
      const there = nearest(points, here, widthPx, HEIGHT_PX)
      if (there >= 0) return there
      const next = [...(isFlat ? [] : points), here].sort((a, b) => a.hz - b.hz)
      set({ points: next }, 'filter-point')
      return next.indexOf(here)
    },
    move(event, { start, gesture }) {
      const here = at(event)
      if (how === 'draw') {
        set({ points: drawnOver(isFlat ? [] : points, last.current ?? here, here) }, gesture)
        last.current = here
        return
      }
      const [low, high] = [points[start - 1]?.hz ?? 10, points[start + 1]?.hz ?? 24_000]
      const hz = Math.max(low * 1.001, Math.min(high / 1.001, here.hz))
      set({ points: points.map((point, n) => (n === start ? { hz, db: here.db } : point)) }, gesture)
    },
  })
  const chosen = (event: PointerEvent<HTMLDivElement>) => nearest(points, at(event), widthPx, HEIGHT_PX)
  const fine = fineHzOf(filter)
  return (
    <div className="flex flex-col gap-2 px-5 py-2.5 text-[12.5px]">
      <div className="flex flex-wrap items-end gap-x-5 gap-y-1.5">
        <Choice
          label="By"
          value={how}
          options={[
            { value: 'draw', label: 'draw freely', title: 'Drag over the curve to draw it' },
            { value: 'points', label: 'by points', title: 'Click to set a point, drag it, double-click to remove it' },
          ]}
          onChange={setHow}
        />
        <Choice
          label="Where"
          value={filter.at}
          options={[
            { value: 'before', label: 'before the stretch', title: 'On the source' },
            { value: 'after', label: 'after it', title: 'On the result' },
          ]}
          onChange={(where) => set({ at: where })}
        />
        <span className="inline-flex items-center" role="group" aria-label="Shapes">
          {SHAPES.map(({ name, title, make }) => (
            <button
              key={name}
              type="button"
              className="plain-button !h-6 !px-1.5"
              title={title}
              onClick={() => set({ points: make() })}
            >
              {name}
            </button>
          ))}
          <button
            type="button"
            className="plain-button !h-6 !px-1.5"
            title="Teeth at the multiples of a frequency"
            onClick={() => set({ points: combShape(spacing), fineHz: Math.max(2, Math.min(20, spacing / 10)) })}
          >
            Comb
          </button>
          <NumberField
            label="Comb spacing"
            width="3.4em"
            value={spacing}
            unit="Hz"
            digits={1}
            min={20}
            max={5000}
            step={1}
            scale="log"
            onChange={setSpacing}
            onReset={() => setSpacing(220)}
          />
          <button
            type="button"
            className="plain-button !h-6 !px-1.5"
            title="Peaks at random places, the same for the same seed"
            onClick={() => set({ points: peaksShape(seed) })}
          >
            Peaks
          </button>
          <NumberField
            label="Seed of the peaks"
            width="2.6em"
            value={seed}
            digits={0}
            min={1}
            max={9999}
            step={1}
            onChange={(value) => {
              setSeed(Math.round(value))
              set({ points: peaksShape(Math.round(value)) })
            }}
            onReset={() => setSeed(1)}
          />
        </span>
        <Field caption={filter.fineHz === undefined ? 'As fine as' : 'Fine to'}>
          <NumberField
            label="Fine to"
            width="3.4em"
            value={fine}
            unit="Hz"
            digits={1}
            min={FINE_RANGE.min}
            max={FINE_RANGE.max}
            step={0.5}
            onChange={(fineHz, gesture) => set({ fineHz }, gesture)}
            onReset={() => {
              const { fineHz: _, ...rest } = filter
              setFilter(source, rest)
            }}
          />
        </Field>
        <span className="pb-0.5 text-soft" title="It is symmetric, and made up for: nothing comes late">
          {isFlat
            ? 'flat: nothing is done'
            : `looks ${Math.round((1000 * filterReach(filter, rate)) / rate)} ms ahead, made up for`}
        </span>
        <span className="ml-auto inline-flex">
          <button
            type="button"
            className="plain-button !h-6"
            title="Ten seconds of white noise as a source, to hear the filter alone"
            onClick={() => void noiseToShelf(source.filter)}
          >
            Noise through it, to the shelf
          </button>
          <button
            type="button"
            className="plain-button !h-6"
            disabled={!source.filter}
            onClick={() => setFilter(source, undefined)}
          >
            Take it off
          </button>
        </span>
      </div>
      <div
        ref={box}
        role="application"
        aria-label={`Filter, ${points.length} points from ${LOWEST_DB} to ${HIGHEST_DB} dB`}
        className="relative cursor-crosshair touch-none border border-rule bg-well"
        style={{ height: HEIGHT_PX }}
        onDoubleClick={(event) => {
          const n = chosen(event as unknown as PointerEvent<HTMLDivElement>)
          if (how === 'points' && n >= 0 && points.length > 1) set({ points: points.filter((_, k) => k !== n) })
        }}
        {...drag}
      >
        <canvas ref={canvas} style={{ width: widthPx, height: HEIGHT_PX }} />
      </div>
      {how === 'points' && points.length <= 24 && (
        <div role="group" aria-label="Points of the filter" className="flex flex-wrap gap-x-4 gap-y-1">
          {points.map((point, n) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a point is known by its place
            <span key={`${n} of ${points.length}`} className="inline-flex items-baseline gap-1.5">
              <NumberField
                label={`Point ${n + 1}, Hz`}
                width="4em"
                value={point.hz}
                unit="Hz"
                digits={0}
                min={(points[n - 1]?.hz ?? 9) * 1.001}
                max={(points[n + 1]?.hz ?? 24_000) / 1.001}
                step={1}
                scale="log"
                onChange={(hz, gesture) =>
                  set({ points: points.map((own, k) => (k === n ? { ...own, hz } : own)) }, gesture)
                }
                onReset={() => {}}
              />
              <NumberField
                label={`Point ${n + 1}, dB`}
                width="3em"
                value={point.db}
                unit="dB"
                digits={1}
                min={-120}
                max={24}
                step={0.5}
                onChange={(db, gesture) =>
                  set({ points: points.map((own, k) => (k === n ? { ...own, db } : own)) }, gesture)
                }
                onReset={() => set({ points: points.map((own, k) => (k === n ? { ...own, db: 0 } : own)) })}
              />
            </span>
          ))}
        </div>
      )}
    </div>
  )
}
