import { useState } from 'react'
import { canKeepLength, SPEED_RANGE } from '../../../core'
import { partFacts, partStart, type Source, timedFacts, timingOf } from '../../../session'
import { timeText } from '../../common/formats'
import { Field } from '../../fields/Field'
import { NumberField } from '../../fields/NumberField'
import { setKeepsLength, setSpeedBetween, setSpeedPoints } from '../../session/timing'

/** The speed over a source: a part of it slower or faster, and what becomes of its length. */
export function SpeedPanel({ source }: { source: Source }) {
  const [percent, setPercent] = useState(80)
  const facts = partFacts(source)
  const timed = timedFacts(source)
  if (!facts || !timed) return null
  const { selection } = source
  const rate = facts.sampleRate
  const start = partStart(source)
  const curve = timingOf(source).speedCurve
  const points = curve?.points ?? []
  const keeps = curve?.keepsLength === true
  const own = points.map((point) => ({ ...point, seconds: point.seconds - start }))
  const mayKeep = points.length > 0 && canKeepLength(own, facts.frames / rate)
  const bent = points.length > 0 && points.slice(0, -1).every((point) => point.curve === 'curved')

  return (
    <section aria-label="Speed" className="flex flex-col gap-2.5 px-5 py-2.5 text-[12.5px]">
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        <Field caption="Run what is selected at">
          <NumberField
            label="Speed of the selection"
            width="4em"
            value={percent}
            unit="%"
            digits={1}
            min={SPEED_RANGE.min}
            max={SPEED_RANGE.max}
            step={1}
            onChange={setPercent}
            onReset={() => setPercent(80)}
          />
        </Field>
        <button
          type="button"
          className="solid-button !h-7"
          disabled={!selection}
          title={selection ? undefined : 'Drag over the lanes to select what is to run slower or faster'}
          onClick={() =>
            selection && setSpeedBetween(source, selection.start / rate + start, selection.end / rate + start, percent)
          }
        >
          {percent < 100 ? 'Slow it' : 'Quicken it'}
        </button>
        <label className="inline-flex h-6 items-center gap-1.5">
          <input
            type="checkbox"
            checked={keeps}
            disabled={points.length === 0}
            onChange={(event) => setKeepsLength(source, event.target.checked)}
          />
          keep the length, by what lies around
        </label>
        <label className="inline-flex h-6 items-center gap-1.5">
          <input
            type="checkbox"
            checked={bent}
            disabled={points.length < 2}
            onChange={(event) =>
              setSpeedPoints(
                source,
                points.map((point) => ({ ...point, curve: event.target.checked ? 'curved' : 'straight' })),
              )
            }
          />
          gentle between points
        </label>
        <button
          type="button"
          className="plain-button !h-6 ml-auto"
          disabled={points.length === 0}
          onClick={() => setSpeedPoints(source, [])}
        >
          Reset speed
        </button>
      </div>
      <p className="text-soft" role="status">
        {points.length === 0
          ? 'Select a sentence in the lanes and slow it, or double-click in the strip to add a point. Points are pulled, nudged with arrow keys, and taken away with Delete.'
          : `${timeText(facts.frames / rate)} become ${timeText(timed.frames / rate)}${keeps && !mayKeep ? ': too little lies around the curve to keep the length' : ''}`}
      </p>
    </section>
  )
}
