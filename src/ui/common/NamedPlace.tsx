import { X } from 'lucide-react'
import { IconButton } from './IconButton'

/** A place in time, in a list: gone to, named, taken away. */
export function NamedPlace(props: {
  /** where it is */
  readonly at: string
  readonly name: string
  /** spoken names of going there, of its name, of taking it away */
  readonly says: { readonly go: string; readonly name: string; readonly remove: string }
  onGo(): void
  onName(name: string): void
  onRemove(): void
}) {
  const { at, name, says } = props
  return (
    <li className="flex items-center gap-1.5">
      <button
        type="button"
        className="plain-button !h-6 !px-1 tabular-nums"
        aria-label={says.go}
        onClick={() => props.onGo()}
      >
        {at}
      </button>
      <input
        aria-label={says.name}
        className="min-w-0 flex-1 border-b border-transparent bg-transparent leading-[20px] outline-none hover:border-edge focus:border-tide"
        placeholder="name it"
        maxLength={200}
        key={name}
        defaultValue={name}
        onBlur={(event) => event.target.value !== name && props.onName(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === 'Enter') event.currentTarget.blur()
        }}
      />
      <IconButton label={says.remove} onClick={() => props.onRemove()} icon={<X size={13} />} />
    </li>
  )
}
