import { Progress } from '../common/Progress'
import { acceptSession, letGo, stopFileWork } from '../session/keep/sessionFile'
import { useSession } from '../session/state/store'

const MOST_NAMES = 6

const CHOICES: readonly { readonly label: string; readonly run: () => Promise<void>; readonly plain?: boolean }[] = [
  { label: 'Add all', run: () => acceptSession('beside') },
  { label: 'Replace all', run: () => acceptSession('instead') },
  { label: 'Leave it', run: letGo, plain: true },
]

/** A session file that was opened: what is in it, and where its sources go. Also a file on its way. */
export function OfferedSession() {
  const offered = useSession((state) => state.offered)
  const work = useSession((state) => state.fileWork)
  if (!offered && !work) return null
  return (
    <section aria-label="Session file" className="mx-2 mb-2 rounded-[4px] border border-edge bg-ground px-2.5 py-2">
      {work ? (
        <div className="flex items-center gap-2" role="status">
          <span className="min-w-0 flex-1 truncate">
            {work.doing} {work.file}
          </span>
          <Progress
            label={`${work.doing} ${work.file}`}
            value={work.progress}
            cancelLabel={`Stop ${work.doing.toLowerCase()}`}
            onCancel={stopFileWork}
          >
            {Math.round(100 * work.progress)} %
          </Progress>
        </div>
      ) : (
        offered && (
          <>
            <p className="truncate font-[620]" title={offered.file}>
              {offered.file}
            </p>
            <p className="caption">
              {offered.session.sources.length} {offered.session.sources.length === 1 ? 'source' : 'sources'},{' '}
              {offered.session.bpm} BPM
            </p>
            <p className="mt-1 text-[12px] text-soft">
              {offered.session.sources
                .slice(0, MOST_NAMES)
                .map(({ name }) => name)
                .join(', ')}
              {offered.session.sources.length > MOST_NAMES &&
                ` and ${offered.session.sources.length - MOST_NAMES} more`}
            </p>
            {offered.notes.map((note) => (
              <p key={note} className="mt-1 text-[12px] text-trouble">
                {note}
              </p>
            ))}
            <span className="mt-1.5 -ml-2 flex">
              {CHOICES.map(({ label, run, plain }) => (
                <button
                  key={label}
                  type="button"
                  className={`plain-button !h-6 ${plain ? '!px-1.5' : '!text-tide'}`}
                  onClick={() => void run()}
                >
                  {label}
                </button>
              ))}
            </span>
          </>
        )
      )}
    </section>
  )
}
