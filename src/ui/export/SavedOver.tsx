import { RefreshCw, Unlink } from 'lucide-react'
import { useMemo } from 'react'
import { IconButton } from '../common/IconButton'
import { endOver, saveOver, setAgain } from '../session/exporting/over'
import { useSession } from '../session/state/store'
import { useGroups } from './useItems'

/** Files of the computer that results are saved over, for programs that are linked to them. */
export function SavedOver() {
  const all = useSession((state) => state.outlook.exporting.over)
  const groups = useGroups()
  const names = useMemo(
    () =>
      new Map(
        groups.flatMap(({ title, items }) => items.map(({ key, label }) => [key, `${title}: ${label}`] as const)),
      ),
    [groups],
  )
  if (all.length === 0) return null
  return (
    <section aria-label="Saved over" className="max-h-[30%] shrink-0 overflow-y-auto border-b border-rule px-5 py-2">
      <h3 className="caption pb-1">Saved over</h3>
      <ul className="grid gap-1">
        {all.map(({ key, name, again }) => {
          const of = names.get(key)
          return (
            <li key={key} className="grid grid-cols-[1fr_auto_auto_auto] items-center gap-x-2">
              <span className="truncate" title={`${of ?? 'gone'} → ${name}`}>
                {name} <span className="text-[12.5px] text-soft">{of ?? 'what it was of is gone'}</span>
              </span>
              <label className="flex items-center gap-1.5 text-[12.5px]">
                <input
                  type="checkbox"
                  aria-label={`${name}: again at every change`}
                  checked={again}
                  disabled={of === undefined}
                  onChange={(event) => setAgain(key, event.target.checked)}
                />
                at every change
              </label>
              <IconButton label={`Save ${name} now`} icon={<RefreshCw size={13} />} onClick={() => saveOver(key)} />
              <IconButton
                label={`Let go of ${name}; it stays as it is`}
                icon={<Unlink size={13} />}
                onClick={() => endOver(key)}
              />
            </li>
          )
        })}
      </ul>
    </section>
  )
}
