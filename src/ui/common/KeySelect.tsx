import { type Key, keyText } from '../../session'
import { Select } from '../fields/Select'

const KEYS: readonly Key[] = [undefined, 'major', 'minor'].flatMap((mode) =>
  Array.from({ length: 12 }, (_, root) => (mode ? { root, mode: mode as 'major' | 'minor' } : { root })),
)
const code = (key: Key) => `${key.root} ${key.mode ?? ''}`

/** A note, or a note with major or minor. */
export function KeySelect({
  label,
  value,
  none,
  onChange,
}: {
  readonly label: string
  readonly value: Key | undefined
  readonly none: string
  readonly onChange: (key: Key | undefined) => void
}) {
  return (
    <Select
      aria-label={label}
      value={value ? code(value) : ''}
      onChange={(event) => onChange(KEYS.find((key) => code(key) === event.target.value))}
    >
      <option value="">{none}</option>
      {(['minor', 'major', undefined] as const).map((mode) => (
        <optgroup key={mode ?? 'note'} label={mode ?? 'note alone'}>
          {KEYS.filter((key) => key.mode === mode).map((key) => (
            <option key={code(key)} value={code(key)}>
              {keyText(key)}
            </option>
          ))}
        </optgroup>
      ))}
    </Select>
  )
}
