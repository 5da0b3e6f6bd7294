import { Plus, X } from 'lucide-react'
import type { Section } from '../../session'
import { useDrag } from '../common/drag'
import { store, useSession } from '../session/state/store'
import { hereOf, snapped } from '../session/timeline/acts'
import { addSection, removeSection, setSection } from '../session/timeline/edits'
import { goToBeat, goToSection, timelineOf } from '../session/timeline/mixing'
import { type BeatView, beatOfX, type GridLine, xOfBeat } from './geometry'

/** Bars by their numbers, and the sections that they belong to. A click puts the playhead there. */
export function Ruler({
  view,
  widthPx,
  grid,
}: {
  readonly view: BeatView
  readonly widthPx: number
  readonly grid: readonly GridLine[]
}) {
  const sections = useSession((state) => state.history.present.sections)
  const seek = useDrag<number>('seek', {
    begin(event) {
      const left = event.currentTarget.getBoundingClientRect().left
      goToBeat(snapped(store.getState(), beatOfX(view, event.clientX - left, widthPx), event.ctrlKey))
      return left
    },
    move(event, { start }) {
      goToBeat(snapped(store.getState(), beatOfX(view, event.clientX - start, widthPx), event.ctrlKey))
    },
  })
  return (
    <div className="shrink-0 border-b border-edge">
      <div className="relative h-[24px] overflow-hidden" role="group" aria-label="Sections">
        {sections.map((section) => (
          <SectionBlock key={section.id} section={section} view={view} widthPx={widthPx} />
        ))}
        <button
          type="button"
          className="plain-button absolute top-0.5 right-1 !h-5 bg-ground !px-1.5 text-[12px]"
          title="A section of four bars from the playhead's bar on"
          onClick={() => {
            const state = store.getState()
            addSection(timelineOf(state).metre.barAt(hereOf(state)).bar + 1, 4)
          }}
        >
          <Plus size={12} /> Section
        </button>
      </div>
      <div
        className="relative h-[20px] cursor-text touch-none overflow-hidden select-none"
        data-testid="ruler"
        {...seek}
      >
        {grid
          .filter(({ bar }) => bar !== undefined)
          .map(({ beat, x, bar, named }) => (
            <span
              key={beat}
              className="absolute inset-y-0 border-l border-edge pl-1 text-[11px] leading-[20px] text-soft"
              style={{ left: x }}
            >
              {named ? bar : ''}
            </span>
          ))}
      </div>
    </div>
  )
}

function SectionBlock({
  section,
  view,
  widthPx,
}: {
  readonly section: Section
  readonly view: BeatView
  readonly widthPx: number
}) {
  const queued = useSession((state) => state.queuedJump?.sectionId === section.id)
  const { metre } = timelineOf(store.getState())
  const left = xOfBeat(view, metre.beatOfBar(section.bar - 1), widthPx)
  const right = xOfBeat(view, metre.beatOfBar(section.bar - 1 + section.bars), widthPx)
  const barsOf = (px: number) => {
    const perBar = (right - left) / section.bars
    return Math.round(px / perBar)
  }
  const edge = useDrag<{ bar: number; bars: number; side: 'left' | 'right' }>('section', {
    begin(event) {
      event.stopPropagation()
      return {
        bar: section.bar,
        bars: section.bars,
        side: event.currentTarget.dataset.side === 'left' ? 'left' : 'right',
      }
    },
    move(_, { start, byPx, gesture }) {
      const by = barsOf(byPx)
      if (start.side === 'right') setSection(section.id, 'Section', { bars: Math.max(1, start.bars + by) }, gesture)
      else {
        const bar = Math.max(1, Math.min(start.bar + start.bars - 1, start.bar + by))
        setSection(section.id, 'Section', { bar, bars: start.bars + start.bar - bar }, gesture)
      }
    },
  })
  if (right < 0 || left > widthPx) return null
  return (
    <span
      className={`group absolute top-[2px] flex h-[20px] items-center overflow-hidden border-l-2 pl-1.5 ${queued ? 'border-tide bg-[var(--tide-wash)]' : 'border-soft bg-deck'}`}
      style={{ left: Math.max(0, left), width: Math.max(12, right - Math.max(0, left) - 1) }}
    >
      <button
        type="button"
        className="shrink-0 pr-1 text-[12px] font-[620] whitespace-nowrap"
        title={
          queued ? 'Waits for the next bar; click again to let it go' : 'Go there; while it plays, on the next bar'
        }
        aria-label={queued ? `${section.name} is next; let it go` : `Go to ${section.name}`}
        onClick={() => goToSection(section.id)}
      >
        {section.name}
        {queued && <span className="pl-1.5 text-tide">next</span>}
      </button>
      <SectionFields section={section} />
      <span data-side="left" className="absolute inset-y-0 left-0 w-[5px] cursor-ew-resize touch-none" {...edge} />
      <span data-side="right" className="absolute inset-y-0 right-0 w-[6px] cursor-ew-resize touch-none" {...edge} />
    </span>
  )
}

/** Its name and its own tempo, where the pointer or the focus is on it. */
function SectionFields({ section }: { readonly section: Section }) {
  return (
    <span className="hidden items-center gap-1.5 group-focus-within:flex group-hover:flex">
      <input
        type="text"
        aria-label={`Name of section ${section.name}`}
        className="w-[84px] border-b border-edge bg-transparent text-[12px] outline-none"
        defaultValue={section.name}
        key={section.name}
        onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
        onBlur={(event) => {
          const name = event.target.value.trim()
          if (name && name !== section.name) setSection(section.id, 'Rename', { name })
        }}
      />
      <input
        type="text"
        inputMode="decimal"
        aria-label={`Tempo of section ${section.name}`}
        title="Its own tempo; empty: that of the tempo line"
        placeholder="tempo"
        className="w-[48px] border-b border-edge bg-transparent text-[12px] outline-none"
        defaultValue={section.bpm ?? ''}
        key={`${section.bpm}`}
        onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
        onBlur={(event) => {
          const text = event.target.value.trim().replace(',', '.')
          const bpm = text === '' ? undefined : Number(text)
          if (bpm === undefined || (bpm >= 5 && bpm <= 1000)) setSection(section.id, 'Section tempo', { bpm })
          else event.target.value = String(section.bpm ?? '')
        }}
      />
      <button
        type="button"
        className="plain-button !h-5 !px-1"
        aria-label={`Remove section ${section.name}`}
        onClick={() => removeSection(section.id)}
      >
        <X size={12} />
      </button>
    </span>
  )
}
