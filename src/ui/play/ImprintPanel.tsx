import { Square, Volume2 } from 'lucide-react'
import { useEffect, useState } from 'react'
import { IMPRINT_BANDS, IMPRINT_SMOOTHING, type Imprint, PLAIN_IMPRINT } from '../../core'
import type { Source } from '../../session'
import { Progress } from '../common/Progress'
import { Choice } from '../fields/Choice'
import { Field } from '../fields/Field'
import { NumberField } from '../fields/NumberField'
import { Select } from '../fields/Select'
import { playback } from '../session/hear/listening'
import {
  cancelImprint,
  hearImprint,
  IMPRINTING,
  type ImprintSideChosen,
  imprintToShelf,
  lookForPairs,
} from '../session/play/imprints'
import { useSession } from '../session/state/store'

/** One sound shaped by another: its loudness over time by bands, its spectrum column by column, or all of it. */
export function ImprintPanel({ source }: { source: Source }) {
  const sources = useSession((state) => state.history.present.sources)
  const promising = useSession((state) => state.pairs)
  // biome-ignore lint/correctness/useExhaustiveDependencies: it looks at the sources that there are
  useEffect(() => void lookForPairs(), [sources])
  const sourceOf = (id: string) => sources.find((one) => one.id === id)
  const pairs = promising.flatMap(({ rhythm, body, why }) => {
    const [one, other] = [sourceOf(rhythm), sourceOf(body)]
    return one && other ? [{ rhythm: one, body: other, why }] : []
  })
  const [body, setBody] = useState<ImprintSideChosen>({ source: source.id })
  const [rhythm, setRhythm] = useState<ImprintSideChosen>({
    source: (sources.find(({ id }) => id !== source.id) ?? source).id,
  })
  const [by, setBy] = useState<Imprint>(PLAIN_IMPRINT)
  const running = useSession((state) => state.exports[IMPRINTING])
  const number = (
    label: string,
    name: 'amountPercent' | 'bands' | 'smoothingMs',
    how: { unit?: string; min: number; max: number; step: number },
  ) => (
    <Field caption={label}>
      <NumberField
        label={label}
        width="3.2em"
        value={by[name]}
        digits={0}
        min={how.min}
        max={how.max}
        step={how.step}
        {...(how.unit !== undefined && { unit: how.unit })}
        onChange={(value) => setBy({ ...by, [name]: Math.round(value) })}
        onReset={() => setBy({ ...by, [name]: PLAIN_IMPRINT[name] })}
      />
    </Field>
  )
  return (
    <div className="flex flex-col gap-2.5 px-5 py-2.5 text-[12.5px]">
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        <Side label="Body: what sounds" chosen={body} sources={sources} onChange={setBody} />
        <Side label="Rhythm: what shapes it" chosen={rhythm} sources={sources} onChange={setRhythm} />
        <Choice
          label="How"
          value={by.by}
          options={[
            { value: 'bands', label: 'loudness by bands', title: 'The rhythm’s loudness over time, band by band' },
            { value: 'columns', label: 'spectrum by spectrum', title: 'The product of both spectra, column by column' },
            { value: 'whole', label: 'all of it', title: 'Convolved with all of the rhythm, up to two minutes of it' },
          ]}
          onChange={(next) => setBy({ ...by, by: next })}
        />
        {number('Amount', 'amountPercent', { unit: '%', min: 0, max: 100, step: 1 })}
        {by.by === 'bands' && number('Bands', 'bands', { ...IMPRINT_BANDS, step: 1 })}
        {by.by !== 'whole' && number('Smoothing', 'smoothingMs', { unit: 'ms', ...IMPRINT_SMOOTHING, step: 1 })}
        <span className="ml-auto inline-flex items-center gap-2">
          {running ? (
            <Progress
              label="Imprinting"
              value={running.progress}
              cancelLabel="Stop imprinting"
              onCancel={cancelImprint}
            >
              {Math.round(100 * running.progress)} %
            </Progress>
          ) : (
            <>
              <button type="button" className="plain-button !h-7" onClick={() => void hearImprint(body, rhythm, by)}>
                <Volume2 size={14} /> Hear it
              </button>
              <button type="button" className="plain-button !h-7" onClick={() => playback.stopAudition()}>
                <Square size={12} /> Stop
              </button>
              <button type="button" className="solid-button !h-7" onClick={() => void imprintToShelf(body, rhythm, by)}>
                To the shelf
              </button>
            </>
          )}
        </span>
      </div>
      <p className="text-soft">
        {pairs.length > 0
          ? 'Most promising, one that comes and goes on one that goes on:'
          : 'Looking which pairs promise most …'}
        {pairs.map((pair) => (
          <button
            key={`${pair.rhythm.id} ${pair.body.id}`}
            type="button"
            className="plain-button !h-6 !px-1.5 !text-text"
            title={pair.why}
            onClick={() => {
              setBody({ source: pair.body.id })
              setRhythm({ source: pair.rhythm.id })
            }}
          >
            {pair.rhythm.name} on {pair.body.name}
          </button>
        ))}
      </p>
    </div>
  )
}

function Side({
  label,
  chosen,
  sources,
  onChange,
}: {
  readonly label: string
  readonly chosen: ImprintSideChosen
  readonly sources: readonly Source[]
  readonly onChange: (side: ImprintSideChosen) => void
}) {
  return (
    <Field caption={label}>
      <Select
        aria-label={label}
        className="max-w-[220px]"
        value={`${chosen.source} ${chosen.variant ?? ''}`}
        onChange={(event) => {
          for (const source of sources)
            for (const variant of [undefined, ...source.variants])
              if (`${source.id} ${variant?.id ?? ''}` === event.target.value)
                onChange({ source: source.id, variant: variant?.id })
        }}
      >
        {sources.map((source) => (
          <optgroup key={source.id} label={source.name}>
            {[undefined, ...source.variants].map((variant) => (
              <option key={variant?.id ?? ''} value={`${source.id} ${variant?.id ?? ''}`}>
                {source.name} {variant ? `${variant.letter}, ${source.target.stretch} ×` : 'itself'}
              </option>
            ))}
          </optgroup>
        ))}
      </Select>
    </Field>
  )
}
