import type { FoundFile } from '../session/state/store'

export type FoundOrder = 'name' | 'kind' | 'tempo' | 'length'

type Test = (file: FoundFile) => boolean

const seconds = ({ facts }: FoundFile) => facts && facts.frames / facts.sampleRate
const bpm = ({ facts }: FoundFile) => facts?.knowledge.tempo.bpm
const within = (value: number | undefined, least: number, most: number) =>
  value !== undefined && value >= least && value <= most

/**
 * What one word of a filter asks for: `90-110` a tempo from there to there, `<5s` and `>2s` a length, anything else a part of
 * the name or its folders.
 */
function testOf(word: string): Test {
  const tempo = /^(\d{2,3}(?:\.\d+)?)-(\d{2,3}(?:\.\d+)?)$/.exec(word)
  if (tempo) return (file) => within(bpm(file), Number(tempo[1]), Number(tempo[2]))
  const length = /^([<>])(\d+(?:\.\d+)?)s?$/.exec(word)
  if (length) {
    const limit = Number(length[2])
    return (file) => (length[1] === '<' ? within(seconds(file), 0, limit) : within(seconds(file), limit, 1e9))
  }
  return ({ path }) => path.toLowerCase().includes(word)
}

/** Files that pass every word of `text`, of one kind or, with an empty one, of any. */
export function filterFound(found: readonly FoundFile[], text: string, kind: string): FoundFile[] {
  const tests = text.toLowerCase().split(/\s+/).filter(Boolean).map(testOf)
  return found.filter(
    (file) => tests.every((test) => test(file)) && (kind === '' || file.facts?.knowledge.material.kind === kind),
  )
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
