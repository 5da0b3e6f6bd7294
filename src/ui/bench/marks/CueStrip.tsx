import type { KeyboardEvent } from 'react'
import type { Source } from '../../../session'
import { newGesture, useDrag } from '../../common/drag'
import { addCue, dropCue, markersNow, moveCue } from '../../session/cues'
import { useSession } from '../../session/state/store'
import { frameAt, type View, xOf } from '../lanes/geometry'

export const CUES_PX = 18
/** a flag with a long name */
const FLAG_PX = 130

/** Whether there is anything to be shown of a source's cues and loops. */
export const useHasCues = (source: Source): boolean =>
  useSession((state) => {
    const { cues, loops } = markersNow(state, source)
    return cues.length + loops.length > 0
  })

/** What goes along in the file: cues as flags with their names, loops as brackets. */
export function CueStrip({
  source,
  view,
  widthPx,
  headPx,
}: {
  readonly source: Source
  readonly view: View
  readonly widthPx: number
  readonly headPx: number
}) {
  const { cues, loops } = useSession((state) => markersNow(state, source))
  const offset = source.range?.start ?? 0
  const rate = source.facts?.sampleRate ?? 48_000
  const x = (frame: number) => xOf(view, frame - offset, widthPx)
  const isSeen = ({ frame }: { readonly frame: number }) => x(frame) > -FLAG_PX && x(frame) < widthPx
  return (
    <div className="flex border-t border-rule" style={{ height: CUES_PX }}>
      <div className="caption flex shrink-0 items-center border-r border-rule px-2" style={{ width: headPx }}>
        Cues and loops in the file
      </div>
      <div
        role="group"
        aria-label="Cues"
        className="relative overflow-hidden"
        style={{ width: widthPx }}
        title="Double-click to set a cue"
        onDoubleClick={(event) => {
          const { left } = event.currentTarget.getBoundingClientRect()
          addCue(source, frameAt(view, event.clientX - left, widthPx) + offset)
        }}
      >
        {loops.map(({ startFrame, endFrame }) => (
          <span
            key={`${startFrame} ${endFrame}`}
            className="absolute bottom-0 h-[5px] border-x-2 border-b-2 border-soft"
            style={{ left: x(startFrame), width: Math.max(4, x(endFrame) - x(startFrame)) }}
          />
        ))}
        {cues.filter(isSeen).map(({ frame, label }) => (
          <Cue
            key={frame}
            name={label}
            seconds={frame / rate}
            x={x(frame)}
            frameUnder={(clientX, left) => frameAt(view, clientX - left, widthPx) + offset}
            onMove={(to, gesture) => moveCue(source, frame, to, gesture)}
            onStep={(ms) => moveCue(source, frame, frame + (ms / 1000) * rate, newGesture('cue'))}
            onDrop={() => dropCue(source, frame)}
          />
        ))}
      </div>
    </div>
  )
}

/** One cue as a flag: it is laid where it is let go. */
function Cue(props: {
  readonly name: string
  readonly seconds: number
  readonly x: number
  readonly frameUnder: (clientX: number, left: number) => number
  readonly onMove: (frame: number, gesture: string) => void
  readonly onStep: (ms: number) => void
  readonly onDrop: () => void
}) {
  const drag = useDrag<number, HTMLButtonElement>('cue', {
    begin: (event) => event.currentTarget.parentElement?.getBoundingClientRect().left ?? 0,
    end: (event, { start: left, moved, gesture }) => {
      if (moved) props.onMove(props.frameUnder(event.clientX, left), gesture)
    },
  })
  function onKey(event: KeyboardEvent) {
    const by = event.shiftKey ? 10 : 1
    if (event.key === 'ArrowRight') props.onStep(by)
    else if (event.key === 'ArrowLeft') props.onStep(-by)
    else if (event.key === 'Delete' || event.key === 'Backspace') props.onDrop()
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  const place = `${props.seconds.toFixed(3)} s`
  return (
    <button
      type="button"
      aria-label={`Cue ${props.name || 'without a name'} at ${place}`}
      title={`${props.name || 'Cue'}, ${place}. Drag it, arrow keys by 1 ms, Delete takes it away`}
      className="absolute inset-y-0 flex cursor-ew-resize items-start"
      style={{ left: props.x }}
      onDoubleClick={(event) => event.stopPropagation()}
      {...drag}
      onKeyDown={onKey}
    >
      <span className="h-full w-px bg-tide" />
      <span className="h-[13px] max-w-[120px] min-w-[7px] truncate bg-tide px-[3px] text-[10px] leading-[13px] text-ground">
        {props.name}
      </span>
    </button>
  )
}
