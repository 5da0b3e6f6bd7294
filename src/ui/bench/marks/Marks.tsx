import type { KeyboardEvent, PointerEvent } from 'react'
import { beatsOf, editedAttacks, type Found, type Source } from '../../../session'
import { newGesture, useDrag } from '../../common/drag'
import { editAttacks, setHand } from '../../session/edits'
import { knowledgeOf } from '../../session/know/knowledge'
import { useSession } from '../../session/state/store'
import { frameAt, type View, xOf } from '../lanes/geometry'

export const MARKS_PX = 24
/** so many attacks are handles of their own; more are only drawn, until one zooms in */
const MOST_HANDLES = 160

/**
 * Bars, beats and attacks over the lanes. The first bar's mark can be dragged; attacks are dragged, added by a double click,
 * taken away by Delete.
 */
export function Marks({ source, view, widthPx }: { source: Source; view: View; widthPx: number }) {
  const found = useSession((state) => knowledgeOf(state, source))
  if (widthPx < 1) return <div style={{ height: MARKS_PX }} />
  const { frames, bars } = beatsOf(source, found)
  const inView = (frame: number) => frame >= view.start - 1 && frame <= view.start + view.span
  const beatPx = frames.length > 1 ? (((frames[1] as number) - (frames[0] as number)) / view.span) * widthPx : 0
  return (
    <div className="relative" style={{ width: widthPx, height: MARKS_PX }}>
      <svg width={widthPx} height={MARKS_PX} className="absolute inset-0 block" aria-hidden="true">
        {frames.map((frame, i) =>
          inView(frame) && (bars[i] || beatPx > 7) ? (
            <line
              key={frame}
              x1={xOf(view, frame, widthPx)}
              x2={xOf(view, frame, widthPx)}
              y1={bars[i] ? 0 : 4}
              y2={bars[i] ? MARKS_PX : 10}
              stroke={bars[i] ? 'var(--soft)' : 'var(--edge)'}
            />
          ) : null,
        )}
        {barNumbers(frames, bars, view, widthPx)}
      </svg>
      <FirstBar source={source} frames={frames} bars={bars} view={view} widthPx={widthPx} />
      <Attacks source={source} found={found} view={view} widthPx={widthPx} />
    </div>
  )
}

function barNumbers(frames: readonly number[], bars: readonly boolean[], view: View, widthPx: number) {
  const starts = frames.filter((_, i) => bars[i])
  const gap = starts.length > 1 ? (((starts[1] as number) - (starts[0] as number)) / view.span) * widthPx : widthPx
  const every = Math.max(1, Math.ceil(22 / Math.max(0.01, gap)))
  return starts.map((frame, n) =>
    n % every === 0 && frame >= view.start - 1 && frame <= view.start + view.span ? (
      <text key={frame} x={xOf(view, frame, widthPx) + 6} y="10" fontSize="10" fill="var(--soft)">
        {n + 1}
      </text>
    ) : null,
  )
}

/** The handle of the first bar: dragging it moves the whole grid. */
function FirstBar({
  source,
  frames,
  bars,
  view,
  widthPx,
}: {
  readonly source: Source
  readonly frames: readonly number[]
  readonly bars: readonly boolean[]
  readonly view: View
  readonly widthPx: number
}) {
  const drag = useDrag<true, HTMLButtonElement>('first-bar', {
    begin: () => true,
    move: (event, { gesture }) => set(frameUnder(event, view, widthPx), gesture),
  })
  const at = frames[bars.indexOf(true)]
  if (at === undefined) return null
  const rate = source.facts?.sampleRate ?? 48_000
  const offset = source.range?.start ?? 0
  const x = xOf(view, at, widthPx)
  const set = (frame: number, gesture: string) =>
    setHand(source.id, { firstBeat: Math.max(-60, (frame + offset) / rate) }, gesture)
  return (
    <button
      type="button"
      role="slider"
      aria-label="First bar"
      aria-valuenow={(at + offset) / rate}
      aria-valuetext={`${((at + offset) / rate).toFixed(3)} s`}
      title="Where the first bar begins: drag, arrow keys"
      className="absolute top-0 z-10 h-[11px] w-[9px] -translate-x-1/2 cursor-ew-resize"
      style={{ left: x, visibility: x < -6 || x > widthPx + 6 ? 'hidden' : undefined }}
      {...drag}
      onKeyDown={(event) => {
        const step = event.key === 'ArrowRight' ? 0.001 : event.key === 'ArrowLeft' ? -0.001 : 0
        if (step === 0) return
        event.preventDefault()
        event.stopPropagation()
        set(at + step * rate * (event.shiftKey ? 10 : 1), 'first-bar-keys')
      }}
    >
      <svg width="9" height="11" viewBox="0 0 9 11" aria-hidden="true">
        <path d="M0 0h9v5l-4.5 6L0 5z" fill="var(--tide)" />
      </svg>
    </button>
  )
}

function Attacks({
  source,
  found,
  view,
  widthPx,
}: {
  readonly source: Source
  readonly found: Found
  readonly view: View
  readonly widthPx: number
}) {
  if (!found) return null
  const attacks = editedAttacks(source, found.attacks).filter(
    ({ frame }) => frame >= view.start && frame <= view.start + view.span,
  )
  const offset = source.range?.start ?? 0
  const rate = source.facts?.sampleRate ?? 48_000
  const shift = (from: number, to: number, gesture: string) =>
    editAttacks(source.id, { remove: from + offset, add: Math.max(0, to) + offset }, gesture)

  function onKey(event: KeyboardEvent<HTMLElement>, frame: number) {
    const step = event.key === 'ArrowRight' ? 0.001 : event.key === 'ArrowLeft' ? -0.001 : 0
    if (step !== 0) shift(frame, frame + Math.round(step * rate * (event.shiftKey ? 10 : 1)), newGesture('attack'))
    else if (event.key === 'Delete' || event.key === 'Backspace') editAttacks(source.id, { remove: frame + offset })
    else return
    event.preventDefault()
    event.stopPropagation()
  }

  return (
    <div
      role="group"
      aria-label="Attacks"
      className="absolute inset-x-0 bottom-0 h-[13px]"
      title="Double-click to add an attack"
      onDoubleClick={(event) => {
        const { left } = event.currentTarget.getBoundingClientRect()
        editAttacks(source.id, { add: Math.round(frameAt(view, event.clientX - left, widthPx)) + offset })
      }}
    >
      {attacks.length <= MOST_HANDLES ? (
        attacks.map(({ frame, strength }) => (
          <AttackMark
            key={frame}
            label={`Attack at ${((frame + offset) / rate).toFixed(3)} s`}
            strength={strength}
            x={xOf(view, frame, widthPx)}
            frameUnder={(event) => Math.round(frameUnder(event, view, widthPx))}
            onMove={(to, gesture) => shift(frame, to, gesture)}
            onKeyDown={(event) => onKey(event, frame)}
          />
        ))
      ) : (
        <svg width={widthPx} height="13" className="block" aria-hidden="true">
          {attacks.map(({ frame, strength }) => (
            <line
              key={frame}
              x1={xOf(view, frame, widthPx)}
              x2={xOf(view, frame, widthPx)}
              y1={11 - 7 * Math.sqrt(strength)}
              y2="13"
              stroke="var(--soft)"
            />
          ))}
        </svg>
      )}
    </div>
  )
}

/** The source frame under a pointer, of a mark that lies in the row over the lanes. */
function frameUnder(event: PointerEvent<HTMLButtonElement>, view: View, widthPx: number): number {
  const left = event.currentTarget.parentElement?.getBoundingClientRect().left ?? 0
  return frameAt(view, event.clientX - left, widthPx)
}

/** One attack as a handle: it is laid where it is let go. */
function AttackMark(props: {
  readonly label: string
  readonly strength: number
  readonly x: number
  readonly frameUnder: (event: PointerEvent<HTMLButtonElement>) => number
  readonly onMove: (to: number, gesture: string) => void
  readonly onKeyDown: (event: KeyboardEvent<HTMLElement>) => void
}) {
  const drag = useDrag<true, HTMLButtonElement>('attack', {
    begin: () => true,
    end: (event, { moved, gesture }) => {
      if (moved) props.onMove(props.frameUnder(event), gesture)
    },
  })
  return (
    <button
      type="button"
      aria-label={props.label}
      title="Drag to move, Delete to take away"
      className="absolute bottom-0 h-[13px] w-[7px] -translate-x-1/2 cursor-ew-resize"
      style={{ left: props.x }}
      onDoubleClick={(event) => event.stopPropagation()}
      {...drag}
      onKeyDown={props.onKeyDown}
    >
      <svg width="7" height="13" viewBox="0 0 7 13" aria-hidden="true">
        <path
          d={`M3.5 13V${11 - 7 * Math.sqrt(props.strength)}`}
          stroke="var(--lane-ref)"
          strokeWidth="1.4"
          fill="none"
        />
        <path d="M1.2 13h4.6L3.5 9.6z" fill="var(--lane-ref)" />
      </svg>
    </button>
  )
}
