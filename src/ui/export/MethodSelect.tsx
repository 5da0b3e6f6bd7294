import { methods } from '../../core'
import type { ChosenMethod } from '../../session'
import { Select } from '../fields/Select'

/** A method for files that nobody has looked at one by one: found for each, or the same for all. */
export function MethodSelect(props: {
  readonly label: string
  readonly value: ChosenMethod | ''
  /** what an empty choice says; without it there is none */
  readonly none?: string
  readonly className?: string
  onChange(method: ChosenMethod): void
}) {
  const { label, value, none, className = '', onChange } = props
  return (
    <Select
      aria-label={label}
      className={className}
      value={value}
      onChange={(event) => onChange(event.target.value as ChosenMethod)}
    >
      {none !== undefined && <option value="">{none}</option>}
      <option value="material">by the material</option>
      <option value="advice">by trying all</option>
      {methods.map(({ id, label: name }) => (
        <option key={id} value={id}>
          {name}
        </option>
      ))}
    </Select>
  )
}
