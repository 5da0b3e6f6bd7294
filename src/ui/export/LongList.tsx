import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, type ReactNode, useRef } from 'react'

/** A list of any length, of which only what is seen is drawn. Arrow keys, Page, Home and End go through it. */
export function LongList<Item>(props: {
  readonly label: string
  readonly items: readonly Item[]
  readonly keyOf: (item: Item) => string
  readonly rowHeight: number
  /** the one that is chosen, by its key */
  readonly chosen: string | undefined
  onChoose(item: Item): void
  onKey?(item: Item, event: KeyboardEvent): void
  readonly children: (item: Item, chosen: boolean) => ReactNode
}) {
  const { label, items, keyOf, rowHeight, chosen, onChoose, onKey, children } = props
  const box = useRef<HTMLDivElement>(null)
  const list = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    overscan: 6,
    getItemKey: (index) => keyOf(items[index] as Item),
  })
  const at = items.findIndex((item) => keyOf(item) === chosen)
  const steps: Readonly<Record<string, number>> = {
    ArrowDown: 1,
    ArrowUp: -1,
    PageDown: 10,
    PageUp: -10,
    Home: -items.length,
    End: items.length,
  }
  const go = (event: KeyboardEvent) => {
    const item = items[at]
    const step = steps[event.key]
    // a field in a row has arrow keys of its own
    if ((event.target as HTMLElement).matches('input, select')) return
    if (step !== undefined) {
      event.preventDefault()
      event.stopPropagation()
      const next = Math.max(0, Math.min(items.length - 1, at + step))
      const to = items[next]
      if (!to) return
      onChoose(to)
      list.scrollToIndex(next)
    } else if (item) onKey?.(item, event)
  }
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it is gone through with arrow keys
    // biome-ignore lint/a11y/noStaticElementInteractions: keys of the list
    <div ref={box} tabIndex={0} onKeyDown={go} className="min-h-0 flex-1 overflow-y-auto outline-offset-[-2px]">
      <ul aria-label={label} className="relative" style={{ height: list.getTotalSize() }}>
        {list.getVirtualItems().map(({ key, index, start }) => {
          const item = items[index] as Item
          return (
            <li
              key={key}
              aria-setsize={items.length}
              aria-posinset={index + 1}
              aria-current={index === at}
              className={`absolute inset-x-0 border-b border-rule ${index === at ? 'bg-deck shadow-[inset_3px_0_0_var(--tide)]' : ''}`}
              style={{ height: rowHeight, transform: `translateY(${start}px)` }}
              onPointerDown={() => onChoose(item)}
            >
              {children(item, index === at)}
            </li>
          )
        })}
      </ul>
    </div>
  )
}
