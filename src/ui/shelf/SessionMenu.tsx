import { Archive, ChevronDown, FilePlus2, FolderOpen, Save, Trash2 } from 'lucide-react'
import { useRef, useState } from 'react'
import { Pop } from '../common/Pop'
import { removeAside, saveAside } from '../session/keep/keeping'
import { emptySession, offerSession, saveSession } from '../session/keep/sessionFile'
import { useSession } from '../session/state/store'

/** The session as a whole: as a file and back, begun anew, and what of it could not be read. */
export function SessionMenu() {
  const aside = useSession((state) => state.aside)
  const busy = useSession((state) => state.fileWork !== undefined)
  const writes = useSession((state) => state.access.kind === 'writes' || state.access.kind === 'unkept')
  const empty = useSession((state) => state.history.present.sources.length === 0)
  const picker = useRef<HTMLInputElement>(null)

  return (
    <>
      <Pop
        label="Session"
        title="Save the session as a file, open one, begin anew"
        width={270}
        doubtful={aside.length > 0}
        trigger={
          <span className="inline-flex items-center gap-1.5">
            Session
            {aside.length > 0 && <span className="caption">{aside.length} aside</span>}
            <ChevronDown size={13} aria-hidden="true" className="text-faint" />
          </span>
        }
      >
        <div className="-mx-2 flex flex-col items-stretch">
          <button
            type="button"
            className="plain-button !justify-start"
            disabled={busy}
            onClick={() => void saveSession()}
          >
            <Save size={14} /> Save as a file
            <span className="caption ml-auto pl-3">Ctrl S</span>
          </button>
          <button
            type="button"
            className="plain-button !justify-start"
            disabled={busy || !writes}
            onClick={() => picker.current?.click()}
          >
            <FolderOpen size={14} /> Open a file
            <span className="caption ml-auto pl-3">Ctrl O</span>
          </button>
          <button
            type="button"
            className="plain-button !justify-start"
            disabled={busy || !writes || empty}
            onClick={emptySession}
          >
            <FilePlus2 size={14} /> Empty the shelf
          </button>
        </div>
        <p className="mt-2 border-t border-rule pt-2 text-[12px] text-soft">
          Everything is kept in this browser as you work. A file holds all of it, sounds too, for another machine or for
          later.
        </p>
        {aside.length > 0 && (
          <section aria-label="Kept aside" className="mt-2 border-t border-rule pt-2">
            <h3 className="caption flex items-center gap-1.5">
              <Archive size={12} aria-hidden="true" /> Kept aside, as it was
            </h3>
            <ul>
              {aside.map((one) => (
                <AsideRow key={one.id} id={one.id} at={one.at} why={one.why} />
              ))}
            </ul>
          </section>
        )}
      </Pop>
      <input
        ref={picker}
        type="file"
        accept=".zumbet"
        className="hidden"
        aria-label="Session file"
        id="session-file"
        onChange={(event) => {
          const [file] = event.target.files ?? []
          if (file) void offerSession(file)
          event.target.value = ''
        }}
      />
    </>
  )
}

function AsideRow({ id, at, why }: { id: string; at: number; why: string }) {
  const [sure, setSure] = useState(false)
  return (
    <li className="mt-1.5 text-[12px]">
      <p className="text-soft">
        <span className="text-text">{timeOf(at)}</span> {why}
      </p>
      <span className="-ml-2 flex">
        <button type="button" className="plain-button !h-6 !text-tide" onClick={() => void saveAside(id)}>
          Save it as a file
        </button>
        <button
          type="button"
          className="plain-button !h-6"
          onClick={() => (sure ? void removeAside(id) : setSure(true))}
          onBlur={() => setSure(false)}
        >
          <Trash2 size={12} /> {sure ? 'For good?' : 'Remove'}
        </button>
      </span>
    </li>
  )
}

const timeOf = (at: number) =>
  Number.isFinite(at) ? new Date(at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' }) : ''
