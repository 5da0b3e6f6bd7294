import { type PointerEvent, useEffect, useMemo, useRef, useState } from 'react'
import { artefactKind, figureOf, severityOf } from '../../../core'
import { partFacts, type Source, type Variant } from '../../../session'
import { sharpCanvas } from '../../common/canvas'
import { timeText } from '../../common/formats'
import { hearPlace } from '../../session/hear/places'
import { renderKeyOf } from '../../session/render/renders'
import { useSession } from '../../session/state/store'
import type { View } from '../lanes/geometry'
import { drawRibbon, groupAt, RIBBON_PX } from './draw'
import { type HarmMark, markAt, marksOf } from './marks'

/** most places that keys and screen readers are given, the worst first */
const MOST_LISTED = 24

/** Where in a variant the harm sits: a row each for attacks, tones, noise and level. A click lets all lanes be heard there. */
export function HarmRibbon({
  source,
  variant,
  view,
  widthPx,
}: {
  source: Source
  variant: Variant
  view: View
  widthPx: number
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const theme = useSession((state) => state.outlook.theme)
  const state = useSession((state) => state.trials[variant.id])
  const stale = state?.status !== 'done' || state.key !== renderKeyOf(source, variant)
  const marks = useMemo(() => marksOf(state?.trial?.measurement.artefacts ?? []), [state?.trial])
  const [under, setUnder] = useState<HarmMark>()
  const sampleRate = partFacts(source)?.sampleRate ?? 48_000

  useEffect(() => {
    const ready = sharpCanvas(canvas.current, widthPx, RIBBON_PX)
    if (!ready || theme === undefined) return
    const { context, colour } = ready
    drawRibbon(context, {
      marks,
      view,
      widthPx,
      stale,
      harm: colour('--harm'),
      rule: colour('--rule'),
      ground: colour('--well'),
    })
  }, [marks, view, widthPx, stale, theme])

  const markUnder = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    return markAt(marks, groupAt(event.clientY - box.top), event.clientX - box.left, view, widthPx)
  }
  const worst = useMemo(
    () =>
      [...marks]
        .sort((a, b) => severityOf(b.id, b.value) - severityOf(a.id, a.value))
        .slice(0, MOST_LISTED)
        .sort((a, b) => a.start - b.start),
    [marks],
  )
  const [place, setPlace] = useState(0)
  const [focused, setFocused] = useState(false)
  const at = Math.min(place, Math.max(0, worst.length - 1))
  const told = under ?? (focused ? worst[at] : undefined)
  return (
    <div
      className="absolute bottom-0 left-[208px] z-20"
      style={{ width: widthPx, height: RIBBON_PX }}
      onPointerMove={(event) => setUnder(markUnder(event))}
      onPointerLeave={() => setUnder(undefined)}
      onPointerDown={(event) => {
        const mark = markUnder(event)
        if (mark) hearPlace(source, variant, mark)
      }}
    >
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Harm in variant ${variant.letter}: ${marks.length} places`}
        className="block"
        style={{ width: widthPx, height: RIBBON_PX, cursor: under ? 'pointer' : 'default' }}
      />
      {/* one stop of Tab for all of them: the arrow keys go from place to place */}
      <ul
        className="sr-only"
        aria-label={`Places of harm in variant ${variant.letter}`}
        onKeyDown={(event) => {
          const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0
          if (step === 0) return
          event.preventDefault()
          event.stopPropagation()
          const next = Math.max(0, Math.min(worst.length - 1, at + step))
          setPlace(next)
          event.currentTarget.querySelectorAll('button')[next]?.focus()
        }}
        onFocus={() => setFocused(true)}
        onBlur={() => setFocused(false)}
      >
        {worst.map((mark, n) => (
          <li key={`${mark.id} ${mark.start}`}>
            <button type="button" tabIndex={n === at ? 0 : -1} onClick={() => hearPlace(source, variant, mark)}>
              {placeText(mark, sampleRate)}
            </button>
          </li>
        ))}
      </ul>
      {told && (
        <span
          className="pointer-events-none absolute bottom-full mb-1 rounded-[4px] border border-edge bg-deck px-2 py-1 text-[12px] whitespace-nowrap"
          style={{
            left: Math.min(widthPx - 220, Math.max(4, ((told.start - view.start) / view.span) * widthPx - 20)),
          }}
        >
          {placeText(told, sampleRate)} · {under ? 'click' : 'Enter'} to hear it in turn
        </span>
      )}
    </div>
  )
}

export function placeText(mark: HarmMark, sampleRate: number): string {
  const { label } = artefactKind(mark.id)
  const centre = Math.max(0, (mark.start + mark.end) / 2)
  const what =
    mark.id === 'lost-attacks'
      ? 'Attack lost'
      : mark.id === 'extra-attacks'
        ? 'Attack repeated or made up'
        : mark.id === 'clicks'
          ? 'Click'
          : `${label} ${figureOf(mark)}`
  return `${what} at ${timeText(centre / sampleRate)}`
}
