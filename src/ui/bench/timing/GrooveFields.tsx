import { Trash2 } from 'lucide-react'
import { useRef, useState } from 'react'
import { type NamedGroove, ruleOf, type Source } from '../../../session'
import { Field } from '../../fields/Field'
import { Select } from '../../fields/Select'
import { useSession } from '../../session/state/store'
import { bringInGroove, dropGroove, renameGroove, saveGroove, setRule, takeGrooveOf } from '../../session/timing'

/** The groove that a source is drawn to, and the grooves of the session: taken, brought in, named, saved, removed. */
export function GrooveFields({
  source,
  groove,
}: {
  readonly source: Source
  /** the one it is drawn to */
  readonly groove: NamedGroove | undefined
}) {
  const grooves = useSession((state) => state.history.present.grooves)
  const [bars, setBars] = useState(1)
  const picker = useRef<HTMLInputElement>(null)
  return (
    <>
      <Field caption="Groove">
        <Select
          aria-label="Groove"
          value={ruleOf(source).groove ?? ''}
          onChange={(event) => setRule(source, { groove: event.target.value || undefined })}
        >
          <option value="">none</option>
          {grooves.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </Select>
      </Field>
      {groove && (
        <span className="inline-flex items-end gap-1">
          <Field caption="called">
            <input
              key={`${groove.id} ${groove.name}`}
              aria-label="Name of the groove"
              className="w-[7em] border-b border-edge bg-transparent leading-[20px] outline-none focus:border-tide"
              defaultValue={groove.name}
              onBlur={(event) => event.target.value !== groove.name && renameGroove(groove.id, event.target.value)}
              onKeyDown={(event) => {
                if (event.key === 'Enter') event.currentTarget.blur()
              }}
            />
          </Field>
          {(['json', 'mid'] as const).map((kind) => (
            <button
              key={kind}
              type="button"
              className="plain-button !h-6 !px-1.5"
              aria-label={`Save the groove as ${kind === 'json' ? 'JSON' : 'MIDI'}`}
              onClick={() => void saveGroove(groove, kind)}
            >
              {kind === 'json' ? 'JSON' : 'MIDI'}
            </button>
          ))}
          <button
            type="button"
            className="plain-button !h-6 !px-1"
            aria-label="Remove the groove"
            title="Remove this groove from the session"
            onClick={() => dropGroove(groove.id)}
          >
            <Trash2 size={13} />
          </button>
        </span>
      )}
      <span className="inline-flex items-center gap-1">
        <button type="button" className="plain-button !h-6 !text-tide" onClick={() => takeGrooveOf(source, bars)}>
          Take groove
        </button>
        <select
          aria-label="Bars of the groove"
          className="bare-select caption"
          value={bars}
          onChange={(event) => setBars(Number(event.target.value))}
        >
          {[1, 2, 4].map((count) => (
            <option key={count} value={count}>
              {count === 1 ? '1 bar' : `${count} bars`}
            </option>
          ))}
        </select>
        <button
          type="button"
          className="plain-button !h-6 !px-1.5"
          title="Bring in a groove that was saved as JSON"
          onClick={() => picker.current?.click()}
        >
          from a file
        </button>
        <input
          ref={picker}
          type="file"
          accept=".json"
          className="hidden"
          aria-label="Groove file"
          onChange={(event) => {
            const [file] = event.target.files ?? []
            if (file) void bringInGroove(file)
            event.target.value = ''
          }}
        />
      </span>
    </>
  )
}
