import { type PointerEvent, useState } from 'react'
import { type NaturalRange, readingOf } from '../../core'
import { type Source, secondsOf, stretchFromSeconds, timedFacts } from '../../session'
import { useDrag } from '../common/drag'
import { Pop } from '../common/Pop'
import { NumberField } from '../fields/NumberField'
import { setTarget } from '../session/acts'
import { PacingOffer } from './timing/PacingOffer'

const WIDTH = 380

/** The end of the line that is moved. */
type Edge = 'start' | 'end'

/**
 * A slot of picture and the line that has to fill it: set the slot, move the line's ends, see how far it is stretched.
 */
export function FitToPicture({ source, range }: { source: Source; range: NaturalRange }) {
  const facts = timedFacts(source)
  const [slot, setSlot] = useState<number | undefined>()
  /** where in the slot the line begins, seconds */
  const [lead, setLead] = useState(0)
  const drag = useDrag<Edge, SVGSVGElement>('picture', {
    begin: ({ target }) => (target instanceof SVGElement ? (target.dataset.edge as Edge | undefined) : undefined),
    move: (event, { start, gesture }) => moveEdge(event, start, gesture),
  })
  if (!facts) return null
  const own = facts.frames / facts.sampleRate
  const length = secondsOf(source.target, facts)
  const slotSeconds = slot ?? Math.max(0.1, Math.ceil(own))
  const end = lead + length
  const shown = Math.max(slotSeconds, end) * 1.08
  const x = (seconds: number) => (seconds / shown) * WIDTH
  const fill = (seconds: number, gesture?: string) =>
    setTarget(source.id, { stretch: stretchFromSeconds(seconds, facts) }, gesture)
  const reading = readingOf(source.target.stretch, range, source.target.tied ? 0 : source.target.pitchSemitones)
  const gap = slotSeconds - end

  function moveEdge(event: PointerEvent<SVGSVGElement>, which: Edge, gesture: string) {
    const left = event.currentTarget.getBoundingClientRect().left
    const at = Math.max(0, ((event.clientX - left) / WIDTH) * shown)
    const snapped = Math.abs(at - slotSeconds) < shown / 60 ? slotSeconds : at
    if (which === 'end') fill(Math.max(0.1 * own, snapped - lead), gesture)
    else {
      const start = Math.min(at < shown / 80 ? 0 : at, end - 0.1 * own)
      setLead(start)
      fill(end - start, gesture)
    }
  }
  const grip = (which: Edge, at: number) => (
    <rect
      x={x(at) - 5}
      y="20"
      width="10"
      height="30"
      fill="transparent"
      className="cursor-ew-resize"
      data-edge={which}
    />
  )

  return (
    <Pop label="Fit to picture" width={WIDTH + 34} trigger="Fit to picture">
      <div className="flex items-end gap-4">
        <span className="flex flex-col gap-1">
          <span className="caption">Slot</span>
          <NumberField
            label="Length of the slot"
            size="large"
            unit="s"
            width="3.4em"
            value={slotSeconds}
            digits={3}
            min={0.05}
            max={36_000}
            step={0.1}
            onChange={setSlot}
            onReset={() => setSlot(undefined)}
          />
        </span>
        <button
          type="button"
          className="solid-button"
          onClick={() => {
            setLead(0)
            fill(slotSeconds)
          }}
        >
          Fill it
        </button>
        <span
          className={`pb-1 ${reading.startsWith('clearly') ? 'text-trouble' : ''}`}
          role="status"
          aria-label="Reading"
        >
          {reading}, {Number(source.target.stretch.toFixed(3))} ×
        </span>
      </div>
      <svg
        width={WIDTH}
        height="64"
        className="mt-3 block touch-none select-none"
        role="img"
        aria-label={`Slot of ${slotSeconds.toFixed(3)} s, line from ${lead.toFixed(3)} to ${end.toFixed(3)} s`}
        {...drag}
      >
        <rect x="0" y="14" width={x(slotSeconds)} height="42" fill="var(--well)" stroke="var(--edge)" />
        {Array.from({ length: Math.floor(shown) + 1 }, (_, n) =>
          shown < 40 || n % 10 === 0 ? (
            // biome-ignore lint/suspicious/noArrayIndexKey: a second is its own name
            <g key={n}>
              <line x1={x(n)} x2={x(n)} y1="8" y2="14" stroke="var(--edge)" />
              <text x={x(n) + 2} y="10" fontSize="10" fill="var(--faint)">
                {n}
              </text>
            </g>
          ) : null,
        )}
        <rect
          x={x(lead)}
          y="22"
          width={Math.max(1, x(length))}
          height="26"
          fill={reading.startsWith('clearly') ? 'var(--trouble)' : 'var(--tide)'}
          opacity={reading === 'natural' ? 0.75 : 0.55}
        />
        {grip('start', lead)}
        {grip('end', end)}
      </svg>
      <p className="mt-1 text-[12.5px] text-soft">
        The line takes {length.toFixed(3)} s,{' '}
        {Math.abs(gap) < 0.0005
          ? 'and ends with the slot.'
          : gap > 0
            ? `${gap.toFixed(3)} s before the slot ends.`
            : `${(-gap).toFixed(3)} s too long for it.`}{' '}
        Drag either end.
      </p>
      <PacingOffer source={source} />
    </Pop>
  )
}
