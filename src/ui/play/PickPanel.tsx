import { ChevronLeft, ChevronRight, KeyboardMusic, Trash2 } from 'lucide-react'
import { MOST_HELD_SECONDS } from '../../core'
import { type PickMark, pickSpan } from '../../session'
import { Choice, type Option } from '../fields/Choice'
import { Field } from '../fields/Field'
import { NumberField } from '../fields/NumberField'
import { movePick, putOverKeys, removePick, setPick } from '../session/play/picks'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { useLooks } from './useLooks'

export const PLAY_OPTIONS: readonly Option<PickMark['play']>[] = [
  { value: 'hold', label: 'hold', title: 'It sounds as long as it is held' },
  { value: 'through', label: 'through', title: 'It sounds to its end, once begun' },
  { value: 'loop', label: 'loop', title: 'It goes round as long as it is held; the seam is found and held at level' },
]

/** One pick: what it is called, where it lies, and how its pad plays it. */
export function PickPanel() {
  const pick = useSession((state) => state.history.present.picks.find(({ id }) => id === state.outlook.pick))
  if (!pick)
    return (
      <p className="px-5 py-4 text-soft">
        Choose a pad to change what it plays: its ends, how it is held, level, pitch, and which others it silences.
      </p>
    )
  return <One pick={pick} />
}

function One({ pick }: { readonly pick: PickMark }) {
  const source = useSession((state) => state.history.present.sources.find(({ id }) => id === pick.source))
  const twin = useLooks().get(pick.id)?.twin?.name
  const span = source && pickSpan(source, pick)
  if (!source || !span) return null
  const perSecond = (pick.to - pick.from) / Math.max(1e-9, span.to - span.from)
  const edge = (label: string, name: 'from' | 'to') => (
    <Field caption={label}>
      <NumberField
        label={label}
        width="5.2em"
        value={span[name]}
        unit="s"
        digits={3}
        min={0}
        max={1e6}
        step={0.01}
        onChange={(value, gesture) =>
          setPick(pick.id, { [name]: Math.max(0, pick[name] + (value - span[name]) * perSecond) }, gesture)
        }
        onReset={() => {}}
      />
    </Field>
  )
  const number = (
    label: string,
    name: 'attackMs' | 'releaseMs' | 'gainDb' | 'semitones' | 'pan',
    how: { unit?: string; min: number; max: number; step: number; reset: number; digits: number },
  ) => (
    <Field caption={label}>
      <NumberField
        label={label}
        width="3.4em"
        value={pick[name]}
        digits={how.digits}
        min={how.min}
        max={how.max}
        step={how.step}
        {...(how.unit !== undefined && { unit: how.unit })}
        onChange={(value, gesture) => setPick(pick.id, { [name]: value }, gesture)}
        onReset={() => setPick(pick.id, { [name]: how.reset })}
      />
    </Field>
  )
  return (
    <div className="flex flex-col gap-2.5 px-5 py-2.5 text-[12.5px]">
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        <Field caption="Name">
          <input
            aria-label="Name of the pick"
            type="text"
            className="w-[170px] border-b border-edge bg-transparent leading-[20px] outline-none focus:border-tide"
            value={pick.name}
            maxLength={200}
            onChange={(event) => setPick(pick.id, { name: event.target.value }, `name ${pick.id}`)}
          />
        </Field>
        {edge('From', 'from')}
        {edge('To', 'to')}
        <span className="pb-0.5 text-soft">{(span.to - span.from).toFixed(3)} s</span>
        <Choice label="Play" value={pick.play} options={PLAY_OPTIONS} onChange={(play) => setPick(pick.id, { play })} />
        <label className="inline-flex h-6 items-center gap-1.5">
          <input
            type="checkbox"
            checked={pick.reverse}
            onChange={(event) => setPick(pick.id, { reverse: event.target.checked })}
          />
          backwards
        </label>
        <span className="ml-auto inline-flex">
          <button
            type="button"
            className="plain-button !h-6 !px-1.5"
            aria-label="Move the pad back"
            title="Move the pad back"
            onClick={() => movePick(pick.id, -1)}
          >
            <ChevronLeft size={14} />
          </button>
          <button
            type="button"
            className="plain-button !h-6 !px-1.5"
            aria-label="Move the pad on"
            title="Move the pad on"
            onClick={() => movePick(pick.id, 1)}
          >
            <ChevronRight size={14} />
          </button>
          <button
            type="button"
            className="plain-button !h-6"
            title="Play this pick over the keys"
            onClick={() => {
              putOverKeys({ source: pick.source, pick: pick.id })
              setOutlook({ playPanel: 'keys' })
            }}
          >
            <KeyboardMusic size={14} /> Over the keys
          </button>
          <button
            type="button"
            className="plain-button !h-6"
            onClick={() => removePick(pick.id)}
            title="Remove the pick (Delete on its pad)"
          >
            <Trash2 size={14} /> Remove
          </button>
        </span>
      </div>
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        {number('Attack', 'attackMs', { unit: 'ms', min: 0, max: 10_000, step: 5, reset: 0, digits: 0 })}
        {number('Release', 'releaseMs', { unit: 'ms', min: 0, max: 30_000, step: 10, reset: 60, digits: 0 })}
        {number('Level', 'gainDb', { unit: 'dB', min: -60, max: 24, step: 0.5, reset: 0, digits: 1 })}
        {number('Pitch', 'semitones', { unit: 'st', min: -36, max: 36, step: 1, reset: 0, digits: 2 })}
        {number('Left to right', 'pan', { min: -1, max: 1, step: 0.05, reset: 0, digits: 2 })}
        <Field caption="Only one of group">
          <input
            aria-label="Group"
            type="text"
            className="w-[90px] border-b border-edge bg-transparent leading-[20px] outline-none focus:border-tide"
            value={pick.group ?? ''}
            placeholder="none"
            maxLength={40}
            onChange={(event) => setPick(pick.id, { group: event.target.value }, `group ${pick.id}`)}
          />
        </Field>
        <span className="pb-0.5 text-soft">
          Cut at zero crossings, its ends faded by what lies there.
          {pick.play === 'loop' &&
            span.to - span.from > MOST_HELD_SECONDS &&
            ` The first ${MOST_HELD_SECONDS} s of it go round.`}
          {twin && ` Sounds much like ${twin}.`}
        </span>
      </div>
    </div>
  )
}
