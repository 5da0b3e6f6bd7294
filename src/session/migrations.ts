import { SESSION_VERSION } from './schema'

type Plain = Record<string, unknown>

const plain = (value: unknown): Plain | undefined =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Plain) : undefined

/** A tempo that was typed used to be a part of the target. */
function liftTempo(source: unknown): unknown {
  const old = plain(source)
  const { sourceBpm, ...target } = plain(old?.target) ?? {}
  if (!old || sourceBpm === undefined) return source
  return { ...old, target, hand: { bpm: sourceBpm, ...plain(old.hand) } }
}

/** How each version's session becomes one of the next. `readSession` mends what is not as expected. */
const migrations: readonly ((session: Plain) => Plain)[] = [
  // 1 → 2: files lie under the hash of their bytes. A source's older file gets its hash when it is read
  (session) => ({
    ...session,
    version: 2,
    ...(Array.isArray(session.sources) && { sources: session.sources.map(liftTempo) }),
  }),
]

/** The version that a session says it is of; undefined for none, or for something that is no version. */
export function versionOf(session: unknown): number | undefined {
  const version = plain(session)?.version
  return typeof version === 'number' && Number.isInteger(version) && version >= 1 && version < 10_000
    ? version
    : undefined
}

/** A session of any version up to this one's, as this one's. One without a version is taken for one of this version. */
export function migrated(session: Plain): Plain {
  let now = session
  for (let version = versionOf(session) ?? SESSION_VERSION; version < SESSION_VERSION; version++)
    now = migrations[version - 1]?.(now) ?? now
  return now
}
