import { type RefObject, useEffect, useState } from 'react'

/** Width and height of an element as they are laid out, px; 0 before it is. */
export function useSize(ref: RefObject<HTMLElement | null>): [number, number] {
  const [size, setSize] = useState<[number, number]>([0, 0])
  useEffect(() => {
    const element = ref.current
    if (!element) return
    const watch = new ResizeObserver(() => setSize([element.clientWidth, element.clientHeight]))
    watch.observe(element)
    return () => watch.disconnect()
  }, [ref])
  return size
}
