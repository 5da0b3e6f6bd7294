import { type KeyboardEvent, type PointerEvent, useRef, useState } from 'react'
import type { SpeedPoint } from '../../../core'
import { partFacts, partStart, timingOf } from '../../../session'
import { newGesture, useDrag } from '../../common/drag'
import { setSpeedPoints } from '../../session/timing'
import { frameAt, xOf } from '../lanes/geometry'
import { PLOT_PX } from './plot'
import { drawnCurve, movedPoint, percentOfY, roundPercent, SPEED_REACHES, type SpeedReach, yOfPercent } from './speed'
import type { StripProps } from './strip'

/** The speed over a source, drawn by hand: points are pulled, added by a double click, taken away by Delete. */
export function SpeedStrip({ source, view, widthPx, headPx }: StripProps) {
  const [reachId, setReachId] = useState<(typeof SPEED_REACHES)[number]['id']>('near')
  const field = useRef<HTMLDivElement>(null)
  const reach: SpeedReach = SPEED_REACHES.find(({ id }) => id === reachId) ?? SPEED_REACHES[0]
  const facts = partFacts(source)
  const rate = facts?.sampleRate ?? 48_000
  const seconds = (facts?.frames ?? 0) / rate
  const start = partStart(source)
  const points: readonly SpeedPoint[] = (timingOf(source).speedCurve?.points ?? []).map((point) => ({
    ...point,
    seconds: point.seconds - start,
  }))
  // what follows from pacing has hundreds of points, and nobody pulls them
  const pulled = timingOf(source).pacing ? [] : points
  const set = (next: readonly SpeedPoint[], gesture?: string) =>
    setSpeedPoints(
      source,
      next.map((point) => ({ ...point, seconds: point.seconds + start })),
      gesture,
    )
  const xAt = (at: number) => xOf(view, at * rate, widthPx)
  const yAt = (percent: number) => yOfPercent(percent, reach, PLOT_PX)
  const under = (event: { clientX: number; clientY: number }) => {
    const box = field.current?.getBoundingClientRect()
    return {
      seconds: Math.min(seconds, Math.max(0, frameAt(view, event.clientX - (box?.left ?? 0), widthPx) / rate)),
      percent: percentOfY(event.clientY - (box?.top ?? 0), reach, PLOT_PX),
    }
  }
  const line = drawnCurve(points, seconds)
    .map(({ seconds: at, percent }) => `${xAt(at).toFixed(1)},${yAt(percent).toFixed(1)}`)
    .join(' ')

  return (
    <div className="flex border-t border-rule" style={{ height: PLOT_PX }}>
      <div
        className="flex shrink-0 flex-col justify-between border-r border-rule py-1.5 pr-2 pl-4"
        style={{ width: headPx }}
      >
        <span className="caption flex justify-between">
          <span>Speed</span>
          <span>{reach.high} %</span>
        </span>
        <select
          aria-label="Range of the speed axis"
          className="bare-select caption w-fit"
          value={reachId}
          onChange={(event) => setReachId(event.target.value as typeof reachId)}
        >
          {SPEED_REACHES.map(({ id, label }) => (
            <option key={id} value={id}>
              {label}
            </option>
          ))}
        </select>
        <span className="caption flex justify-between">
          <span>
            {timingOf(source).pacing ? 'paced as speech' : points.length === 0 ? 'double-click adds a point' : ''}
          </span>
          <span>{reach.low} %</span>
        </span>
      </div>
      <div
        ref={field}
        role="group"
        aria-label="Speed curve"
        className="relative overflow-hidden"
        style={{ width: widthPx }}
        onDoubleClick={(event) => {
          const at = under(event)
          set([...points, { seconds: at.seconds, percent: roundPercent(at.percent) }])
        }}
      >
        <svg width={widthPx} height={PLOT_PX} className="block" aria-hidden="true">
          <line x1="0" x2={widthPx} y1={yAt(100)} y2={yAt(100)} stroke="var(--edge)" />
          <polyline points={line} fill="none" stroke="var(--lane-ref)" strokeWidth="1.5" />
        </svg>
        {pulled.map((point, n) => (
          <Point
            // biome-ignore lint/suspicious/noArrayIndexKey: a point is known by its place among the others
            key={n}
            label={`Speed point ${n + 1} of ${points.length}`}
            point={point}
            x={xAt(point.seconds)}
            y={yAt(point.percent)}
            onMove={(to, gesture) => set(movedPoint(points, n, to, seconds), gesture)}
            onDrop={() => set(points.filter((_, i) => i !== n))}
            under={under}
          />
        ))}
      </div>
    </div>
  )
}

function Point({
  label,
  point,
  x,
  y,
  onMove,
  onDrop,
  under,
}: {
  readonly label: string
  readonly point: SpeedPoint
  readonly x: number
  readonly y: number
  readonly onMove: (to: { seconds: number; percent: number }, gesture: string) => void
  readonly onDrop: () => void
  readonly under: (event: PointerEvent) => { seconds: number; percent: number }
}) {
  const drag = useDrag<true, HTMLButtonElement>('speed', {
    axis: 'either',
    begin: () => true,
    move(event, { gesture }) {
      const to = under(event)
      const isFree = event.ctrlKey || event.metaKey
      onMove({ seconds: to.seconds, percent: isFree ? to.percent : roundPercent(to.percent) }, gesture)
    },
  })
  function onKey(event: KeyboardEvent) {
    const by = event.shiftKey ? 10 : 1
    const { seconds, percent } = point
    const moves: Record<string, { seconds: number; percent: number }> = {
      ArrowRight: { seconds: seconds + 0.01 * by, percent },
      ArrowLeft: { seconds: seconds - 0.01 * by, percent },
      ArrowUp: { seconds, percent: percent + by },
      ArrowDown: { seconds, percent: percent - by },
    }
    const to = moves[event.key]
    if (to) onMove(to, newGesture('speed'))
    else if (event.key === 'Delete' || event.key === 'Backspace') onDrop()
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  return (
    <button
      type="button"
      role="slider"
      aria-label={label}
      aria-valuemin={5}
      aria-valuemax={2000}
      aria-valuenow={point.percent}
      aria-valuetext={`${point.percent.toFixed(1)} % at ${point.seconds.toFixed(3)} s`}
      title={`${point.percent.toFixed(1)} % at ${point.seconds.toFixed(3)} s. Pull it, arrow keys, Delete takes it away`}
      className="absolute size-3 -translate-x-1/2 -translate-y-1/2 cursor-move touch-none rounded-full border-2 border-tide bg-ground"
      style={{ left: x, top: y }}
      onDoubleClick={(event) => event.stopPropagation()}
      {...drag}
      onKeyDown={onKey}
    />
  )
}
