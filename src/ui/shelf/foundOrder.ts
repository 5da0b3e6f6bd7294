import type { FoundFile } from '../session/store'

export type FoundOrder = 'name' | 'kind' | 'tempo' | 'length'

/** Files whose path holds all words of `text`, of one kind or, with an empty one, of any. */
export function filterFound(found: readonly FoundFile[], text: string, kind: string): FoundFile[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean)
  return found.filter(({ path, facts }) => {
    const low = path.toLowerCase()
    return words.every((word) => low.includes(word)) && (kind === '' || facts?.knowledge.material.kind === kind)
  })
}

const byName = new Intl.Collator('en', { numeric: true, sensitivity: 'base' })

/** What is not known yet comes last, whatever the order. Equal ones keep to their names. */
export function sortFound(found: readonly FoundFile[], order: FoundOrder): FoundFile[] {
  const value = ({ facts }: FoundFile): number | string | undefined => {
    if (!facts || order === 'name') return undefined
    if (order === 'length') return facts.frames / facts.sampleRate
    return order === 'tempo' ? facts.knowledge.tempo.bpm : facts.knowledge.material.kind
  }
  return [...found].sort((a, b) => {
    const [x, y] = [value(a), value(b)]
    if (x !== undefined && y !== undefined && x !== y) return x < y ? -1 : 1
    if ((x === undefined) !== (y === undefined)) return x === undefined ? 1 : -1
    return byName.compare(a.path, b.path)
  })
}
