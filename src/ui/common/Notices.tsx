import { X } from 'lucide-react'
import { Toast } from 'radix-ui'
import { undo } from '../session/edits'
import { dismiss } from '../session/state/notices'
import { useSession } from '../session/state/store'

/** What happened, said once at the lower left, over the shelf, where it hides nothing that is worked with. Trouble stays until it is put away. */
export function Notices() {
  const notices = useSession((state) => state.notices)
  return (
    <Toast.Provider swipeDirection="left" duration={6000} label="Notice">
      {notices.map((notice) => (
        <Toast.Root
          key={notice.id}
          type={notice.tone === 'trouble' ? 'foreground' : 'background'}
          duration={notice.tone === 'trouble' ? Number.POSITIVE_INFINITY : 6000}
          onOpenChange={(open) => {
            if (!open) dismiss(notice.id)
          }}
          className={`flex items-start gap-3 rounded-[5px] border bg-deck py-2.5 pr-2 pl-3.5 shadow-[0_8px_28px_rgb(0_0_0/0.35)] ${notice.tone === 'trouble' ? 'border-trouble' : 'border-edge'}`}
        >
          <div className="min-w-0 flex-1">
            <Toast.Description className="py-0.5 break-words">
              {notice.tone === 'trouble' && <span className="mr-1.5 font-[640] text-trouble">Trouble:</span>}
              {notice.text}
            </Toast.Description>
            {notice.action && (
              <Toast.Action altText={notice.action.label} asChild>
                <button
                  type="button"
                  className="plain-button mt-1 -ml-2.5 !h-6 font-[620] !text-tide"
                  onClick={notice.action.run}
                >
                  {notice.action.label}
                </button>
              </Toast.Action>
            )}
          </div>
          {notice.undo && (
            <Toast.Action altText="Undo this" asChild>
              <button type="button" className="plain-button !h-6 font-[620] !text-tide" onClick={undo}>
                Undo
              </button>
            </Toast.Action>
          )}
          <Toast.Close aria-label="Put away" className="plain-button !h-6 !px-1">
            <X size={14} />
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport
        label="Notices"
        className="fixed bottom-[72px] left-3 z-50 flex max-h-[60vh] w-[330px] flex-col gap-2 overflow-y-auto outline-none"
      />
    </Toast.Provider>
  )
}
