import { Volume2, VolumeX } from 'lucide-react'
import { useState } from 'react'
import type { TimelineRow } from '../../session'
import { NumberField } from '../fields/NumberField'
import { takeIn } from '../session/files/gather'
import { store, useSession } from '../session/state/store'
import { choose, layAt, snapped } from '../session/timeline/acts'
import { setRow } from '../session/timeline/edits'
import { timelineOf } from '../session/timeline/mixing'
import { FOUND_TYPE, SOURCE_TYPE } from '../session/views'
import { type BeatView, beatOfX, type GridLine } from './geometry'
import { PartBox } from './Part'

const HEAD_PX = 22
const BODY_PX = 56

interface RowsProps {
  readonly view: BeatView
  readonly widthPx: number
  readonly grid: readonly GridLine[]
}

/** Rows of parts against the grid; sources are dropped on them, or below for a row of their own. */
export function Rows({ view, widthPx, grid }: RowsProps) {
  const rows = useSession((state) => state.history.present.rows)
  return (
    <>
      {rows.map((row) => (
        <Row key={row.id} row={row} view={view} widthPx={widthPx} grid={grid} />
      ))}
      <NewRow view={view} widthPx={widthPx} grid={grid} />
    </>
  )
}

function Row({ row, view, widthPx, grid }: RowsProps & { readonly row: TimelineRow }) {
  const session = useSession((state) => state.history.present)
  const chosen = useSession((state) => state.outlook.parts)
  const knowledge = useSession((state) => state.knowledge)
  const [over, drop] = useSourceDrop(view, widthPx, row.id)
  // drawn again with what is known
  void knowledge
  const { laid } = timelineOf(store.getState())
  const parts = session.parts.filter((part) => part.row === row.id)
  const quiet = row.muted || (!row.solo && session.rows.some(({ solo, muted }) => solo && !muted))
  return (
    <section aria-label={`Row ${row.name}`} data-row={row.id} className={over ? 'bg-[var(--tide-wash)]' : ''} {...drop}>
      <header className="flex items-center gap-3 pl-2" style={{ height: HEAD_PX }}>
        <RowName row={row} />
        <NumberField
          label={`Level of ${row.name}`}
          unit="dB"
          width="2.7em"
          value={row.gainDb}
          digits={1}
          min={-60}
          max={12}
          step={0.5}
          signed
          onChange={(gainDb, gesture) => setRow(row.id, 'Level', { gainDb }, gesture)}
          onReset={() => setRow(row.id, 'Level', { gainDb: 0 })}
        />
        <button
          type="button"
          className="plain-button !h-5 !px-1.5 text-[12px]"
          aria-pressed={row.muted}
          aria-label={`Mute ${row.name}`}
          title="Mute"
          onClick={() => setRow(row.id, 'Mute', { muted: !row.muted })}
        >
          {row.muted ? <VolumeX size={13} /> : <Volume2 size={13} />} Mute
        </button>
        <button
          type="button"
          className="plain-button !h-5 !px-1.5 text-[12px]"
          aria-pressed={row.solo}
          aria-label={`Solo ${row.name}`}
          title="Only rows that are soloed are heard"
          onClick={() => setRow(row.id, 'Solo', { solo: !row.solo })}
        >
          Solo
        </button>
      </header>
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: Escape does the same, wherever the focus is */}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: a click beside all parts chooses none */}
      <div
        className="relative overflow-hidden border-b border-rule bg-well"
        style={{ height: BODY_PX, opacity: quiet ? 0.45 : 1 }}
        onClick={(event) => {
          if (event.target === event.currentTarget) choose([])
        }}
      >
        <Grid grid={grid} />
        {parts.map((part) => {
          const own = laid.parts.find((one) => one.part.id === part.id)
          const source = session.sources.find(({ id }) => id === part.source)
          if (!own || !source) return null
          return (
            <PartBox
              key={part.id}
              part={part}
              laid={own}
              source={source}
              view={view}
              widthPx={widthPx}
              heightPx={BODY_PX - 1}
              chosen={chosen.includes(part.id)}
            />
          )
        })}
      </div>
    </section>
  )
}

function RowName({ row }: { readonly row: TimelineRow }) {
  return (
    <input
      type="text"
      aria-label={`Name of row ${row.name}`}
      className="w-[150px] truncate bg-transparent font-[620] outline-none focus:bg-deck"
      defaultValue={row.name}
      key={row.name}
      onKeyDown={(event) => {
        if (event.key === 'Enter' || event.key === 'Escape') event.currentTarget.blur()
      }}
      onBlur={(event) => {
        const name = event.target.value.trim()
        if (name && name !== row.name) setRow(row.id, 'Rename', { name })
        else event.target.value = row.name
      }}
    />
  )
}

function NewRow({ view, widthPx, grid }: RowsProps) {
  const [over, drop] = useSourceDrop(view, widthPx)
  const empty = useSession((state) => state.history.present.parts.length === 0)
  return (
    <div
      className={`relative min-h-[64px] flex-1 overflow-hidden ${over ? 'bg-[var(--tide-wash)]' : ''}`}
      data-testid="new-row"
      {...drop}
    >
      <Grid grid={grid} />
      <p className="relative px-4 pt-4 text-[12.5px] text-faint">
        {empty ? (
          <span className="block max-w-[60ch] text-[14px] leading-[1.6] text-soft">
            Nothing lies here yet. <b>Drag a source</b> from the shelf onto the bars, or select one there and press{' '}
            <kbd className="key">Enter</kbd> to lay it at the playhead. What has a tempo follows the tempo line above;
            press <kbd className="key">Space</kbd> to hear it all together.
          </span>
        ) : (
          'Drop a source here for a row of its own'
        )}
      </p>
    </div>
  )
}

const Grid = ({ grid }: { readonly grid: readonly GridLine[] }) => (
  <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full">
    {grid.map(({ beat, x, bar }) => (
      <line
        key={beat}
        x1={Math.round(x) + 0.5}
        x2={Math.round(x) + 0.5}
        y1="0"
        y2="100%"
        stroke={bar === undefined ? 'var(--rule)' : 'var(--edge)'}
        strokeOpacity={bar === undefined ? 0.7 : 0.8}
      />
    ))}
  </svg>
)

/** Sources that are dragged from the shelf fall where they are let go; true while one is held over it. */
function useSourceDrop(view: BeatView, widthPx: number, row?: string) {
  const [over, setOver] = useState(false)
  const carries = ({ dataTransfer: { types } }: React.DragEvent) =>
    types.includes(SOURCE_TYPE) || types.includes(FOUND_TYPE)
  const lay = (sourceId: string, beat: number) => {
    const source = store.getState().history.present.sources.find(({ id }) => id === sourceId)
    layAt(sourceId, beat, row === undefined ? { newRow: source?.name ?? 'Row' } : { row })
  }
  return [
    over,
    {
      onDragOver(event: React.DragEvent) {
        if (!carries(event)) return
        event.preventDefault()
        event.dataTransfer.dropEffect = 'copy'
        setOver(true)
      },
      onDragLeave: () => setOver(false),
      onDrop(event: React.DragEvent) {
        setOver(false)
        if (!carries(event)) return
        event.preventDefault()
        const x = event.clientX - event.currentTarget.getBoundingClientRect().left
        const beat = snapped(store.getState(), beatOfX(view, x, widthPx), event.ctrlKey || event.metaKey)
        const sourceId = event.dataTransfer.getData(SOURCE_TYPE)
        if (sourceId) lay(sourceId, beat)
        // a listed file is taken onto the shelf on its way
        else void takeIn([event.dataTransfer.getData(FOUND_TYPE)]).then((taken) => taken && lay(taken, beat))
      },
    },
  ] as const
}
