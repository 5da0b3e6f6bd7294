import { memo, useEffect, useMemo, useRef } from 'react'
import { type LaidPart, methodText, naturalRange } from '../../core'
import {
  editedAttacks,
  kindOf,
  partFacts,
  partRecipe,
  type Source,
  soundKey,
  type TimelinePart,
  variantOf,
} from '../../session'
import { sharpCanvas } from '../common/canvas'
import { useDrag } from '../common/drag'
import { drawSoon } from '../common/frames'
import { LaneBadge } from '../common/LaneBadge'
import { laneColour } from '../common/looks'
import { knowledgeOf } from '../session/know/knowledge'
import { store, useSession } from '../session/state/store'
import { choose, extentOf, snapped, startSecondOf } from '../session/timeline/acts'
import { placeParts, setLength, setPart, trimStart } from '../session/timeline/edits'
import { timelineOf } from '../session/timeline/mixing'
import { drawPart } from './drawPart'
import { type BeatView, xOfBeat } from './geometry'
import { StrainMark } from './StrainMark'
import { strainOf } from './strain'

interface PartProps {
  readonly part: TimelinePart
  readonly laid: LaidPart
  readonly source: Source
  readonly view: BeatView
  readonly widthPx: number
  readonly heightPx: number
  readonly chosen: boolean
}

/** a canvas reaches this far beyond what is in sight */
const BEYOND_PX = 40
const HEAD_PX = 18

/** A part on its row: what of it sounds when, in which variant, how far it is stretched. */
export const PartBox = memo(function PartBox({ part, laid, source, view, widthPx, heightPx, chosen }: PartProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const facts = useSession((state) => state.mixFacts[soundKey(source)])
  const found = useSession((state) => knowledgeOf(state, source))
  const theme = useSession((state) => state.outlook.theme)
  const { tempo, rate } = timelineOf(store.getState())
  const extent = extentOf(store.getState(), laid)
  const left = xOfBeat(view, extent.from, widthPx)
  const right = xOfBeat(view, extent.to, widthPx)
  const seenLeft = Math.max(left, -BEYOND_PX)
  const seenRight = Math.min(right, widthPx + BEYOND_PX)
  const seenPx = Math.max(0, seenRight - seenLeft)
  const recipe = partRecipe(source, part)
  const variant = variantOf(source, part)
  const { kind } = kindOf(source, found)
  const strain = useMemo(() => strainOf(laid, naturalRange(kind ?? 'unsure')), [laid, kind])
  const attacks = useMemo(
    () => (found ? editedAttacks(source, found.attacks).map(({ frame }) => frame) : []),
    [source, found],
  )

  useEffect(() => {
    const element = canvas.current
    if (!element || theme === undefined) return
    return drawSoon(element, () => {
      const ready = sharpCanvas(element, seenPx, heightPx - HEAD_PX)
      if (!ready) return
      const { context, colour } = ready
      const own = colour(laneColour(recipe.methodId).slice(4, -1))
      const { sampleRate = 48_000 } = source.facts ?? {}
      drawPart(
        context,
        { laid, view, widthPx, tempo, rate, sampleRate, overview: facts?.overview, attacks },
        seenLeft,
        seenRight,
        heightPx - HEAD_PX,
        { wave: `${own}80`, body: own, attack: colour('--soft'), loose: colour('--harm') },
      )
    })
  }, [
    laid,
    view,
    widthPx,
    heightPx,
    seenLeft,
    seenRight,
    seenPx,
    facts,
    attacks,
    theme,
    tempo,
    rate,
    source,
    recipe.methodId,
  ])

  const beatsOf = (px: number) => (px / widthPx) * view.span
  const free = (event: { ctrlKey: boolean; metaKey: boolean }) => event.ctrlKey || event.metaKey

  const move = useDrag<{ parts: readonly TimelinePart[]; y: number; height: number }>('part', {
    begin(event) {
      event.stopPropagation()
      const state = store.getState()
      const chosenIds = state.outlook.parts
      const several = event.shiftKey || (chosen && chosenIds.length > 1)
      const ids = event.shiftKey
        ? chosen
          ? chosenIds.filter((id) => id !== part.id)
          : [...chosenIds, part.id]
        : several
          ? chosenIds
          : [part.id]
      choose(ids)
      event.currentTarget.focus()
      return {
        parts: state.history.present.parts.filter(({ id }) => (ids.length > 0 ? ids.includes(id) : id === part.id)),
        y: event.clientY,
        height: heightPx,
      }
    },
    move(event, { start, byPx, gesture }) {
      const state = store.getState()
      const first = Math.min(...start.parts.map(({ startBeat }) => startBeat))
      const at = snapped(
        state,
        part.startBeat === undefined ? first : Math.max(0, originOf(start.parts, part.id) + beatsOf(byPx)),
        free(event),
      )
      const by = Math.max(-first, at - originOf(start.parts, part.id))
      const row = start.parts.length === 1 ? rowAt(event.clientX, event.clientY) : undefined
      placeParts(
        new Map(
          start.parts.map((own) => [own.id, { startBeat: own.startBeat + by, ...(row !== undefined && { row }) }]),
        ),
        gesture,
      )
    },
    end(_, { moved }) {
      if (!moved && !chosen) choose([part.id])
    },
  })

  const edge = useDrag<{
    extent: { from: number; to: number }
    offset: number
    laid: LaidPart
    side: 'left' | 'right'
  }>('part-edge', {
    begin(event) {
      event.stopPropagation()
      choose([part.id])
      return { extent, offset: part.offset, laid, side: event.currentTarget.dataset.side === 'left' ? 'left' : 'right' }
    },
    move(event, { start, byPx, gesture }) {
      const state = store.getState()
      const { from, to } = start.extent
      if (start.side === 'left') {
        const at = Math.min(to - 0.05, snapped(state, from + beatsOf(byPx), free(event)))
        const isBars = part.lock === 'bars' && laid.part.own !== undefined
        const gone = isBars
          ? part.feel * (at - from)
          : (tempo.secondsAt(at) - tempo.secondsAt(from)) / laid.part.recipe.stretch
        trimStart(part.id, at, to - at, start.offset + gone, gesture)
        return
      }
      const at = Math.max(from + 0.05, snapped(state, to + beatsOf(byPx), free(event)))
      if (event.altKey) {
        const seconds = tempo.secondsAt(at) - tempo.secondsAt(from)
        const size = partFacts(source)
        if (!size) return
        const offset = startSecondOf(start.laid, size.sampleRate)
        const own = size.frames / size.sampleRate - offset
        const change = {
          lock: 'seconds',
          beats: undefined,
          repeat: false,
          stretch: clamp(seconds / own),
          offset,
        } as const
        setPart([part.id], 'Stretch', change, gesture)
        return
      }
      if (event.shiftKey && !part.repeat) setPart([part.id], 'Repeat', { repeat: true }, gesture)
      setLength(part.id, at - from, gesture)
    },
  })

  const fade = useDrag<{ seconds: number; side: 'fadeIn' | 'fadeOut' }>('fade', {
    begin(event) {
      event.stopPropagation()
      choose([part.id])
      const side = event.currentTarget.dataset.side as 'fadeIn' | 'fadeOut'
      return { seconds: part[side], side }
    },
    move(_, { start, byPx, gesture }) {
      const perPx = (tempo.secondsAt(extent.to) - tempo.secondsAt(extent.from)) / Math.max(1, right - left)
      const by = (start.side === 'fadeIn' ? byPx : -byPx) * perPx
      setPart([part.id], 'Fade', { [start.side]: Math.max(0, start.seconds + by) }, gesture)
    },
  })

  if (seenPx <= 0) return null
  const colour = laneColour(recipe.methodId)
  const perSecond = (right - left) / Math.max(1e-6, tempo.secondsAt(extent.to) - tempo.secondsAt(extent.from))
  const letter = variant?.letter ?? '·'
  const label = `${source.name}, ${methodText(recipe)}, bar ${timelineOf(store.getState()).metre.barAt(extent.from).bar + 1}, ${strain.words}`
  return (
    <div
      role="button"
      tabIndex={0}
      data-part={part.id}
      aria-label={label}
      aria-pressed={chosen}
      title={`${source.name}: ${strain.words}`}
      className="absolute top-[2px] cursor-grab touch-none overflow-hidden rounded-[3px] outline-offset-0 select-none active:cursor-grabbing"
      style={{
        left: seenLeft,
        width: seenPx,
        height: heightPx - 4,
        background: 'var(--deck)',
        boxShadow: chosen ? `inset 0 0 0 2px var(--text)` : `inset 0 0 0 1px var(--edge)`,
      }}
      onFocus={() => {
        if (!store.getState().outlook.parts.includes(part.id)) choose([part.id])
      }}
      {...move}
    >
      <span
        // what does not fit beside the name falls into a second line, which is not seen
        className="pointer-events-none absolute top-0 right-0 flex h-[18px] flex-wrap items-center gap-x-1 overflow-hidden pr-1 pl-[5px] text-[11px] leading-[18px] whitespace-nowrap"
        style={{ left: Math.max(0, -seenLeft) }}
      >
        <span className="-my-1 inline-flex scale-75">
          <LaneBadge variant={{ letter, methodId: recipe.methodId }} hollow={!chosen} />
        </span>
        <span className={chosen ? 'font-[620]' : 'text-soft'}>{source.name}</span>
        {part.lock === 'seconds' && <span className="caption">seconds</span>}
        {part.repeat && laid.laps.length > 1 && <span className="caption">{laid.laps.length} rounds</span>}
        <StrainMark strain={strain} words={seenPx > 190} />
      </span>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Waveform of ${source.name} as it will sound`}
        className="pointer-events-none absolute left-0"
        style={{ top: HEAD_PX, width: seenPx, height: heightPx - HEAD_PX - 4 }}
      />
      <span className="pointer-events-none absolute inset-x-0 bottom-0 h-[2px]" style={{ background: colour }} />
      {laid.laps.slice(1).map((lap) => (
        <span
          key={lap.from}
          className="pointer-events-none absolute top-[14px] bottom-0 w-px bg-edge"
          style={{ left: xOfBeat(view, tempo.beatAt(lap.from / rate), widthPx) - seenLeft }}
        />
      ))}
      {part.fadeIn > 0 && <Slope side="in" px={part.fadeIn * perSecond} heightPx={heightPx - HEAD_PX} />}
      {part.fadeOut > 0 && <Slope side="out" px={part.fadeOut * perSecond} heightPx={heightPx - HEAD_PX} />}
      {left >= -BEYOND_PX && (
        <span data-side="left" className="absolute inset-y-0 left-0 w-[7px] cursor-ew-resize" {...edge} />
      )}
      {right <= widthPx + BEYOND_PX && (
        <span
          data-side="right"
          className="absolute inset-y-0 right-0 w-[7px] cursor-ew-resize"
          title="Drag: length. Shift: repeat. Alt: stretch. Ctrl: free"
          {...edge}
        />
      )}
      {chosen && seenPx > 60 && (
        <>
          <span
            data-side="fadeIn"
            title="Fade in"
            className="absolute bottom-[3px] size-[9px] cursor-ew-resize rounded-tr-[3px] bg-text"
            style={{ left: Math.min(seenPx / 2, Math.max(7, part.fadeIn * perSecond)) }}
            {...fade}
          />
          <span
            data-side="fadeOut"
            title="Fade out"
            className="absolute bottom-[3px] size-[9px] cursor-ew-resize rounded-tl-[3px] bg-text"
            style={{ right: Math.min(seenPx / 2, Math.max(7, part.fadeOut * perSecond)) }}
            {...fade}
          />
        </>
      )}
    </div>
  )
})

function Slope({
  side,
  px,
  heightPx,
}: {
  readonly side: 'in' | 'out'
  readonly px: number
  readonly heightPx: number
}) {
  const path = side === 'in' ? `M0 0L0 ${heightPx}L${px} 0z` : `M${px} 0L${px} ${heightPx}L0 0z`
  return (
    <svg
      aria-hidden="true"
      className={`pointer-events-none absolute bottom-0 ${side === 'in' ? 'left-0' : 'right-0'}`}
      width={Math.max(1, px)}
      height={heightPx}
    >
      <path d={path} fill="var(--ground)" opacity="0.72" />
    </svg>
  )
}

const originOf = (parts: readonly TimelinePart[], id: string) => parts.find((own) => own.id === id)?.startBeat ?? 0

const clamp = (stretch: number) => Math.min(1000, Math.max(0.1, stretch))

/** The row under the pointer. */
const rowAt = (x: number, y: number): string | undefined =>
  document
    .elementsFromPoint(x, y)
    .map((element) => (element as HTMLElement).closest<HTMLElement>('[data-row]')?.dataset.row)
    .find((row) => row !== undefined)
