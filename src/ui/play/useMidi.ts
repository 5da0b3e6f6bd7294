import { useEffect, useState } from 'react'
import { connectKeyboards } from '../session/play/keyboards'

/** Keyboards that are connected play as long as this is looked at. @returns their names. */
export function useMidi(): readonly string[] {
  const [names, setNames] = useState<readonly string[]>([])
  useEffect(() => connectKeyboards(setNames), [])
  return names
}
