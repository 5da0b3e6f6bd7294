import { methods } from '../core'
import { ownId } from './checks'
import type { Mended } from './mend'
import type { Keys, PickMark } from './playSchema'
import type { Session, Source } from './schema'

/** What a schema cannot say of what is played: picks and keys have sources, ids differ, picks run forward. */
export function checkedPlay(session: Session, mended: Mended[]): Session {
  const ids = new Set<string>()
  const picks = session.picks.flatMap((pick, n): PickMark[] => {
    const path = `picks.${n}`
    const source = session.sources.find(({ id }) => id === pick.source)
    if (!source || !(pick.to > pick.from)) {
      mended.push({ path: source ? path : `${path}.source`, was: source ? pick : pick.source })
      return []
    }
    return [{ ...withVariant(pick, source, path, mended), id: ownId(pick.id, ids, `${path}.id`, mended) }]
  })
  const takeIds = new Set<string>()
  const takes = session.takes.map((take, n) => {
    const keys = take.keys && checkedKeys(take.keys, session, `takes.${n}.keys`, mended)
    const { keys: _, ...others } = take
    const hands = take.hands.filter(({ source, methodId }, k) => {
      const isThere =
        session.sources.some(({ id }) => id === source) &&
        methods.some(({ id, ledByHand }) => ledByHand && id === methodId)
      if (!isThere) mended.push({ path: `takes.${n}.hands.${k}`, was: take.hands[k] })
      return isThere
    })
    const rest = { ...others, hands }
    return { ...rest, ...(keys && { keys }), id: ownId(take.id, takeIds, `takes.${n}.id`, mended) }
  })
  const { keys: given, ...rest } = session
  const keys = given && checkedKeys(given, session, 'keys', mended)
  return { ...rest, picks, takes, ...(keys && { keys }) }
}

function checkedKeys(keys: Keys, session: Session, path: string, mended: Mended[]): Keys | undefined {
  const source = session.sources.find(({ id }) => id === keys.source)
  if (source) return withVariant(keys, source, path, mended)
  mended.push({ path: `${path}.source`, was: keys.source })
  return undefined
}

/** A variant by its id; one that is not there is none: then it is the source itself. */
function withVariant<One extends { readonly variant?: string | undefined }>(
  one: One,
  source: Source,
  path: string,
  mended: Mended[],
): One {
  const { variant } = one
  if (variant === undefined || source.variants.some(({ id, letter }) => id === variant || letter === variant))
    return one
  mended.push({ path: `${path}.variant`, was: variant })
  const { variant: _, ...rest } = one
  return rest as One
}

/** Whether filter points rise; those that do not are left out. */
export function checkedShaping(source: Source, path: string, mended: Mended[]): Source {
  const { filter } = source
  if (!filter) return source
  const rising = filter.points.filter(({ hz }, n) => n === 0 || hz > (filter.points[n - 1]?.hz as number))
  if (rising.length === filter.points.length && rising.length > 0) return source
  const { filter: _, ...rest } = source
  // what is left may still not rise: in order it does
  const sorted = [...new Map(filter.points.map((point) => [point.hz, point])).values()].sort((a, b) => a.hz - b.hz)
  mended.push({ path: `${path}.filter`, was: filter, ...(sorted.length > 0 && { now: { ...filter, points: sorted } }) })
  return sorted.length > 0 ? { ...source, filter: { ...filter, points: sorted } } : (rest as Source)
}
