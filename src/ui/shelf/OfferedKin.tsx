import { markKin } from '../session/acts'
import { store, useSession } from '../session/state/store'

const MOST_NAMES = 4

/** Files of one length that came in together: they may be microphones on one performance. */
export function OfferedKin() {
  const offered = useSession((state) => state.offeredKin)
  const sources = useSession((state) => state.history.present.sources)
  const there = sources.filter(({ id }) => offered.includes(id))
  if (there.length < 2) return null
  const leave = () => store.setState({ offeredKin: [] })
  const names = there.map(({ name }) => name)
  return (
    <section
      aria-label="Recorded together?"
      className="mx-2 mb-2 rounded-[4px] border border-edge bg-ground px-2.5 py-2"
    >
      <p className="font-[620]">{there.length} sounds of one length: recorded together?</p>
      <p className="caption truncate" title={names.join(', ')}>
        {names.slice(0, MOST_NAMES).join(', ')}
        {names.length > MOST_NAMES && ` and ${names.length - MOST_NAMES} more`}
      </p>
      <span className="mt-1.5 -ml-2 flex">
        <button
          type="button"
          className="plain-button !h-6 !text-tide"
          onClick={() => {
            markKin(there.map(({ id }) => id))
            leave()
          }}
        >
          Time them as one
        </button>
        <button type="button" className="plain-button !h-6" onClick={leave}>
          No
        </button>
      </span>
    </section>
  )
}
