import { useState } from 'react'
import { canKeepLength, SPEED_RANGE, type SpeedPoint } from '../../../core'
import { partFacts, partStart, type Source, timedFacts, timingOf } from '../../../session'
import { timeText } from '../../common/formats'
import { Field } from '../../fields/Field'
import { NumberField } from '../../fields/NumberField'
import { setKeepsLength, setPacing, setSpeedBetween, setSpeedPoints, useListeningText } from '../../session/timing'

/** The speed over a source: a part of it slower or faster, and what becomes of its length. */
export function SpeedPanel({ source }: { source: Source }) {
  const [percent, setPercent] = useState(80)
  const listening = useListeningText(source)
  const facts = partFacts(source)
  const timed = timedFacts(source)
  if (!facts || !timed) return null
  const { selection } = source
  const rate = facts.sampleRate
  const start = partStart(source)
  const { speedCurve: curve, pacing } = timingOf(source)
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
        <Field caption="Pace it as speech">
          <NumberField
            label="Speech pacing"
            width="3.4em"
            value={pacing?.percent ?? 0}
            unit="%"
            digits={0}
            min={0}
            max={100}
            step={5}
            onChange={(value, gesture) => void setPacing(source, value, gesture)}
            onReset={() => void setPacing(source, 0)}
          />
        </Field>
        <label className="inline-flex h-6 items-center gap-1.5">
          <input
            type="checkbox"
            checked={keeps}
            disabled={points.length === 0 || pacing !== undefined}
            onChange={(event) => setKeepsLength(source, event.target.checked)}
          />
          keep the length
        </label>
        <label className="inline-flex h-6 items-center gap-1.5">
          <input
            type="checkbox"
            checked={bent}
            disabled={points.length < 2 || pacing !== undefined}
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
          disabled={points.length === 0 && !pacing}
          onClick={() => (pacing ? setPacing(source, 0) : setSpeedPoints(source, []))}
        >
          Reset speed
        </button>
      </div>
      <p className="text-soft" role="status">
        {listening ??
          (pacing
            ? pacingText(source.target.stretch, points)
            : points.length === 0
              ? 'Select a sentence in the lanes and slow it, or double-click in the strip to add a point. Points are pulled, nudged with arrow keys, and taken away with Delete.'
              : `${timeText(facts.frames / rate)} become ${timeText(timed.frames / rate)}${keeps && !mayKeep ? ': too little lies around the curve to keep the length' : ''}`)}
      </p>
    </section>
  )
}

/** What pacing comes to, in words: how far what gives way and what keeps its length are stretched. */
function pacingText(stretch: number, points: readonly SpeedPoint[]): string {
  if (points.length === 0) return 'At its own length there is nothing to pace: stretch it, or fit it to a slot.'
  const ratios = points.map(({ percent }) => (100 * stretch) / percent)
  const [least, most] = [Math.min(...ratios), Math.max(...ratios)].map(
    (ratio) => `${Number(ratio.toPrecision(3))}\u00a0×`,
  )
  const [keeps, gives] = stretch > 1 ? [least, most] : [most, least]
  return `Vowels and pauses give way, up to ${gives}; consonants keep nearly their length, ${keeps}.`
}
