import { useState } from 'react'
import { LAYER_DB } from '../../core'
import { partStart, type Source } from '../../session'
import { Field } from '../fields/Field'
import { NumberField } from '../fields/NumberField'
import { PLAIN_PREPARE, setPrepare } from '../session/play/picks'
import { usePreparedAttacks } from './usePreparedAttacks'

const LAYERS = [
  { name: 'sinesDb', label: 'Tones', title: 'Steady partials' },
  { name: 'attacksDb', label: 'Hits', title: 'What attacks bring' },
  { name: 'noiseDb', label: 'Noise', title: 'What is neither' },
] as const

/** What is taken out of the source, or turned down, before it is stretched: heard at once. */
export function PreparePanel({ source }: { source: Source }) {
  const prepare = { ...PLAIN_PREPARE, ...source.prepare }
  const attacks = usePreparedAttacks(source)
  const [over, setOver] = useState(0.5)
  const start = partStart(source)
  const isOut = (seconds: number) => prepare.without.some((at) => Math.abs(at - seconds) <= 0.005)
  const toggle = (seconds: number) =>
    setPrepare(source, {
      without: isOut(seconds)
        ? prepare.without.filter((at) => Math.abs(at - seconds) > 0.005)
        : [...prepare.without, seconds].sort((a, b) => a - b),
    })
  const strong = attacks.filter(({ strength }) => strength >= over)
  return (
    <div className="flex flex-col gap-2.5 px-5 py-2.5 text-[12.5px]">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        {LAYERS.map(({ name, label, title }) => (
          <span key={name} className="inline-flex items-end gap-2" title={title}>
            <Field caption={label}>
              <NumberField
                label={label}
                width="3.4em"
                value={prepare[name]}
                unit={prepare[name] <= LAYER_DB.min ? 'out' : 'dB'}
                digits={1}
                min={LAYER_DB.min}
                max={LAYER_DB.max}
                step={0.5}
                onChange={(value, gesture) => setPrepare(source, { [name]: value }, gesture)}
                onReset={() => setPrepare(source, { [name]: 0 })}
              />
            </Field>
            <button
              type="button"
              className="plain-button !h-6"
              aria-pressed={prepare[name] <= LAYER_DB.min}
              onClick={() => setPrepare(source, { [name]: prepare[name] <= LAYER_DB.min ? 0 : LAYER_DB.min })}
            >
              {prepare[name] <= LAYER_DB.min ? 'Put back' : 'Take out'}
            </button>
          </span>
        ))}
        <span className="ml-auto inline-flex items-end gap-2">
          <Field caption="All attacks over">
            <NumberField
              label="Strength"
              width="3.4em"
              value={100 * over}
              unit="%"
              digits={0}
              min={0}
              max={100}
              step={1}
              onChange={(value) => setOver(value / 100)}
              onReset={() => setOver(0.5)}
            />
          </Field>
          <button
            type="button"
            className="solid-button !h-7"
            disabled={strong.length === 0}
            onClick={() =>
              setPrepare(source, {
                without: [...new Set([...prepare.without, ...strong.map(({ seconds }) => seconds)])].sort(
                  (a, b) => a - b,
                ),
              })
            }
          >
            Take out {strong.length}
          </button>
          <button
            type="button"
            className="plain-button !h-7"
            disabled={prepare.without.length === 0}
            onClick={() => setPrepare(source, { without: [] })}
          >
            Put all back
          </button>
        </span>
      </div>
      <div role="group" aria-label="Single attacks" className="flex max-h-[74px] flex-wrap gap-1 overflow-y-auto">
        {attacks.length === 0 && <span className="text-soft">No attacks are found in it.</span>}
        {attacks.map(({ seconds, strength }, n) => {
          const out = isOut(seconds)
          return (
            <button
              key={seconds}
              type="button"
              aria-pressed={out}
              aria-label={`Attack ${n + 1} at ${(seconds - start).toFixed(2)} s, ${out ? 'taken out' : 'kept'}`}
              title={`${(seconds - start).toFixed(3)} s, strength ${Math.round(100 * strength)} %: ${out ? 'taken out' : 'click to take it out'}`}
              className={`relative h-[26px] w-[34px] border text-[10.5px] ${out ? 'border-dashed border-edge text-faint line-through' : 'border-rule text-soft hover:border-edge'}`}
              onClick={() => toggle(seconds)}
            >
              <span
                className="absolute bottom-0 left-0 h-[3px] bg-[var(--lane-1)]"
                style={{ width: `${100 * strength}%`, opacity: out ? 0.25 : 1 }}
              />
              {(seconds - start).toFixed(2)}
            </button>
          )
        })}
      </div>
      <p className="text-soft">
        It is heard on the strip at once, and goes into every variant of this source, its files and the command. What is
        untouched stays the very sample.
      </p>
    </div>
  )
}
