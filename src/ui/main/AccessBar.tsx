import { errorText } from '../../host/errorText'
import { beginAnew, saveNewer } from '../session/keep/keeping'
import { saveSession } from '../session/keep/sessionFile'
import { takeOver } from '../session/session'
import { accessText } from '../session/state/access'
import { useSession } from '../session/state/store'

/** Says why nothing here is kept, or may be changed, and what can be done about it. Not there when all is well. */
export function AccessBar() {
  const access = useSession((state) => state.access)
  const unsaved = useSession((state) => state.unsaved)
  const text =
    accessText(access) ?? (unsaved === undefined ? undefined : `The last change is not kept. ${errorText(unsaved)}`)
  if (text === undefined) return null
  return (
    <div
      role="status"
      aria-label="Session state"
      className={`flex shrink-0 items-center gap-3 border-y bg-deck px-5 py-1.5 ${access.kind === 'watches' ? 'border-edge' : 'border-trouble'}`}
    >
      <span className="min-w-0 flex-1">{text}</span>
      {access.kind === 'watches' && <Act label="Work here instead" run={takeOver} />}
      {access.kind === 'newer' && (
        <>
          <Act label="Save it as it lies" run={saveNewer} />
          <Act label="Keep it aside, work on" run={beginAnew} />
        </>
      )}
      {(access.kind === 'unkept' || (access.kind === 'writes' && unsaved !== undefined)) && (
        <Act label="Save as a file" run={saveSession} />
      )}
    </div>
  )
}

function Act({ label, run }: { readonly label: string; readonly run: () => Promise<void> | void }) {
  return (
    <button type="button" className="plain-button !h-7 shrink-0 font-[620] !text-tide" onClick={() => void run()}>
      {label}
    </button>
  )
}
