/** One of a few, side by side. */
export interface Option<Value extends string> {
  readonly value: Value
  readonly label: string
  readonly title: string
}

export function Choice<Value extends string>({
  label,
  options,
  value,
  isOpen = () => true,
  onChange,
}: {
  readonly label: string
  readonly options: readonly Option<Value>[]
  readonly value: Value
  /** whether one can be chosen now */
  readonly isOpen?: (value: Value) => boolean
  readonly onChange: (value: Value) => void
}) {
  return (
    <span className="inline-flex" role="radiogroup" aria-label={label}>
      {options.map((option) => (
        <button
          key={option.value}
          type="button"
          role="radio"
          aria-checked={value === option.value}
          className={`border-b px-1.5 leading-[20px] whitespace-nowrap disabled:text-faint ${value === option.value ? 'border-tide text-text shadow-[0_1px_0_var(--tide)]' : 'border-edge text-faint hover:text-text'}`}
          title={option.title}
          disabled={!isOpen(option.value)}
          onClick={() => onChange(option.value)}
        >
          {option.label}
        </button>
      ))}
    </span>
  )
}
