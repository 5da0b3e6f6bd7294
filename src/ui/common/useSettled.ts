import { useEffect, useState } from 'react'

const SETTLED_MS = 120

/**
 * A value as it was when it last stayed the same for a moment: for what takes long to be told of each step of a drag.
 */
export function useSettled<T>(value: T): T {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), SETTLED_MS)
    return () => clearTimeout(timer)
  }, [value])
  return settled
}
