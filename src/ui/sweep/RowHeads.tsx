import { type Breaks, methodById, type SweepAxis } from '../../core'
import { laneColour, methodLook, SHAPES } from '../common/looks'
import { ROW_PX, TOP_PX } from './chart'
import { breakText, type Cell } from './model'

/** The methods as heads of their rows: which are swept, in what shape and colour their curves are, where they break. */
export function RowHeads({
  methodIds,
  chosen,
  breaks,
  axis,
  measured,
  onToggle,
}: {
  readonly methodIds: readonly string[]
  readonly chosen: readonly string[]
  readonly breaks: readonly Breaks[]
  readonly axis: SweepAxis
  readonly measured: readonly Cell[]
  readonly onToggle: (methodId: string) => void
}) {
  return (
    <div role="group" aria-label="Methods swept" className="absolute left-0 w-[164px]" style={{ top: TOP_PX }}>
      {methodIds.map((id, row) => {
        const on = chosen.includes(id)
        const { label } = methodById(id)
        const told = measured.some((cell) => cell.row === row) ? `: ${breakText(axis, breaks[row] as Breaks)}` : ''
        return (
          <label
            key={id}
            className="flex cursor-pointer items-center gap-2 pr-2 pl-5 whitespace-nowrap hover:bg-deck"
            style={{ height: ROW_PX, color: on ? undefined : 'var(--faint)' }}
            title={`${label}${told}`}
          >
            <input type="checkbox" className="accent-[var(--text)]" checked={on} onChange={() => onToggle(id)} />
            <svg width="11" height="11" viewBox="0 0 24 24" aria-hidden="true">
              <path d={SHAPES[methodLook(id)]} fill={on ? laneColour(id) : 'var(--edge)'} />
            </svg>
            {label}
          </label>
        )
      })}
    </div>
  )
}
