import type { Keys, Source } from '../../session'
import { keyText, readRoot } from '../../session/notesFile'
import { Choice } from '../fields/Choice'
import { Field } from '../fields/Field'
import { NumberField } from '../fields/NumberField'
import { Select } from '../fields/Select'
import { rootOf, tempoStretch } from '../session/play/instruments'
import { heardVariant, putOverKeys, setKeys } from '../session/play/picks'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { KeyBoard } from './KeyBoard'
import { NoteStart } from './NoteStart'
import { PLAY_OPTIONS } from './PickPanel'

/** One sound over the keys: which, how it is turned, and the keys themselves. */
export function KeysPanel({ source }: { source: Source }) {
  const keys = useSession((state) => state.history.present.keys)
  const of = useSession((state) => state.history.present.sources.find(({ id }) => id === keys?.source))
  const variant = useSession((state) => heardVariant(state, source))
  if (!keys || !of)
    return (
      <div className="flex flex-col items-start gap-3 px-5 py-4">
        <p className="text-soft">Nothing lies over the keys yet.</p>
        <button
          type="button"
          className="solid-button !h-7"
          onClick={() => putOverKeys({ source: source.id, ...(variant !== undefined && { variant }) })}
        >
          Put what is on the strip over the keys
        </button>
      </div>
    )
  return <OverKeys keys={keys} of={of} />
}

function OverKeys({ keys, of }: { readonly keys: Keys; readonly of: Source }) {
  const rootKey = useSession((state) => rootOf(state, keys, of).key)
  const stretch = useSession((state) => tempoStretch(state, of))
  const isFound = useSession((state) => rootOf(state, keys, of).found)
  const picks = useSession((state) => state.history.present.picks)
  const sources = useSession((state) => state.history.present.sources)
  const { lettersPlay, lettersFrom } = useSession((state) => state.outlook)
  const number = (
    label: string,
    name: 'attackMs' | 'releaseMs' | 'glideMs' | 'voices' | 'gainDb',
    how: { unit?: string; min: number; max: number; step: number; reset: number; digits?: number },
  ) => (
    <Field caption={label}>
      <NumberField
        label={label}
        width="3.2em"
        value={keys[name]}
        digits={how.digits ?? 0}
        min={how.min}
        max={how.max}
        step={how.step}
        {...(how.unit !== undefined && { unit: how.unit })}
        onChange={(value, gesture) => setKeys({ [name]: how.digits ? value : Math.round(value) }, gesture)}
        onReset={() => setKeys({ [name]: how.reset })}
      />
    </Field>
  )
  const value = keys.pick ? `pick ${keys.pick}` : `${keys.source} ${keys.variant ?? ''}`
  return (
    <div className="flex flex-col gap-2.5 px-5 py-2.5 text-[12.5px]">
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        <Field caption="Over the keys">
          <Select
            aria-label="Over the keys"
            className="max-w-[210px]"
            value={value}
            onChange={(event) => {
              const chosen = event.target.value
              const pick = picks.find(({ id }) => `pick ${id}` === chosen)
              if (pick) putOverKeys({ source: pick.source, pick: pick.id })
              for (const source of sources)
                for (const variant of [undefined, ...source.variants])
                  if (`${source.id} ${variant?.id ?? ''}` === chosen)
                    putOverKeys({ source: source.id, ...(variant && { variant: variant.id }) })
            }}
          >
            <optgroup label="Picks">
              {picks.map((pick) => (
                <option key={pick.id} value={`pick ${pick.id}`}>
                  {pick.name}
                </option>
              ))}
            </optgroup>
            {sources.map((source) => (
              <optgroup key={source.id} label={source.name}>
                {[undefined, ...source.variants].map((variant) => (
                  <option key={variant?.id ?? ''} value={`${source.id} ${variant?.id ?? ''}`}>
                    {source.name} {variant ? variant.letter : 'itself'}
                  </option>
                ))}
              </optgroup>
            ))}
          </Select>
        </Field>
        <Field caption={isFound ? 'Root, found' : 'Root'}>
          <NumberField
            label="Root"
            width="5em"
            value={rootKey}
            digits={2}
            min={0}
            max={127}
            step={1}
            read={(text) => readRoot(text)}
            examples="A note like A3 or F#2, or Hz."
            onChange={(value, gesture) => setKeys({ root: value }, gesture)}
            onReset={() => setKeys({ root: undefined })}
          />
        </Field>
        <span className="pb-0.5 text-soft">{keyText(rootKey)}</span>
        <Field caption="Length">
          <Choice
            label="Length"
            value={keys.length}
            options={[
              { value: 'keep', label: 'as long', title: 'As long at every key' },
              { value: 'tape', label: 'as tape', title: 'The higher the faster, as on tape' },
            ]}
            onChange={(length) => setKeys({ length })}
          />
        </Field>
        <Field caption="Formants">
          <Choice
            label="Formants"
            value={keys.formants ?? 'own'}
            options={[
              { value: 'own', label: 'as it has', title: 'As the result itself has them' },
              { value: 'keep', label: 'kept', title: 'Resonances stay where they are at every key' },
              { value: 'move', label: 'moved', title: 'Resonances move with the key' },
            ]}
            onChange={(formants) => setKeys({ formants: formants === 'own' ? undefined : formants })}
          />
        </Field>
        <label
          className="inline-flex h-6 items-center gap-1.5"
          title={
            stretch === undefined
              ? 'Its tempo is not known: type it on the Bench'
              : `Stretched ${stretch.toFixed(2)} ×, so that its beats are the session's`
          }
        >
          <input
            type="checkbox"
            checked={keys.inTempo}
            disabled={stretch === undefined && !keys.inTempo}
            onChange={(event) => setKeys({ inTempo: event.target.checked })}
          />
          in the session's tempo
        </label>
        <NoteStart />
        <Field caption="Held">
          <Choice label="Play" value={keys.play} options={PLAY_OPTIONS} onChange={(play) => setKeys({ play })} />
        </Field>
        {number('Attack', 'attackMs', { unit: 'ms', min: 0, max: 10_000, step: 5, reset: 5 })}
        {number('Release', 'releaseMs', { unit: 'ms', min: 0, max: 30_000, step: 10, reset: 150 })}
        {number('Voices', 'voices', { min: 1, max: 64, step: 1, reset: 16 })}
        {number('Glide', 'glideMs', { unit: 'ms', min: 0, max: 5000, step: 10, reset: 0 })}
        {number('Level', 'gainDb', { unit: 'dB', min: -60, max: 24, step: 0.5, reset: -6, digits: 1 })}
        <label
          className="inline-flex h-6 items-center gap-1.5"
          title="Letters play keys: a semitone along a row, a fourth from row to row (F2)"
        >
          <input
            type="checkbox"
            checked={lettersPlay}
            onChange={(event) => setOutlook({ lettersPlay: event.target.checked })}
          />
          letters play <kbd className="key">F2</kbd>
        </label>
        {lettersPlay && (
          <Field caption="from">
            <NumberField
              label="Letters from"
              width="3em"
              value={lettersFrom}
              digits={0}
              min={0}
              max={108}
              step={1}
              read={(text) => readRoot(text)}
              examples="A note like A2."
              onChange={(value) => setOutlook({ lettersFrom: Math.round(value) })}
              onReset={() => setOutlook({ lettersFrom: 45 })}
            />
          </Field>
        )}
      </div>
      <KeyBoard source={of} keys={keys} root={rootKey} />
    </div>
  )
}
