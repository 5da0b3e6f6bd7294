import { useSession } from '../session/state/store'
import { AsWhat } from './AsWhat'
import { BatchPlan } from './BatchPlan'
import { BatchRunning } from './BatchRunning'
import { ToWhat } from './ToWhat'

/** Many listed files to one target: a table of what will be done to each, then of what was. */
export function BatchView() {
  const runs = useSession((state) => state.batch !== undefined)
  if (runs) return <BatchRunning />
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_304px]">
      <BatchPlan />
      <div className="min-h-0 overflow-y-auto border-l border-rule">
        <ToWhat />
        <AsWhat of="found" />
      </div>
    </div>
  )
}
