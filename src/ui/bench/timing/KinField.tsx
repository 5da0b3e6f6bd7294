import { kinOf, type Source } from '../../../session'
import { Select } from '../../fields/Select'
import { dropKin, setKin } from '../../session/edits'
import { useSession } from '../../session/state/store'

/** Sources that are timed as one, and which of them leads. */
export function KinField({ source }: { readonly source: Source }) {
  const sources = useSession((state) => state.history.present.sources)
  const kin = kinOf(sources, source)
  if (kin.length < 2) return null
  const ids = kin.map(({ id }) => id)
  return (
    <span className="mt-1 flex w-[8.5rem] flex-col items-start gap-0.5 border-t border-rule pt-1.5">
      <span className="caption" title={kin.map(({ name }) => name).join(', ')}>
        {kin.length} kin, led by
      </span>
      <Select
        aria-label="Leading kin"
        className="w-full"
        value={ids[0]}
        onChange={(event) => setKin([event.target.value, ...ids.filter((id) => id !== event.target.value)])}
      >
        {kin.map(({ id, name }) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </Select>
      <button type="button" className="plain-button !h-6 !px-0" onClick={() => dropKin(ids)}>
        No longer together
      </button>
    </span>
  )
}
