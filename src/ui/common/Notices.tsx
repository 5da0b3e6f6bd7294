import { X } from 'lucide-react'
import { Toast } from 'radix-ui'
import { undo } from '../session/acts'
import { dismiss } from '../session/state/notices'
import { useSession } from '../session/state/store'

/** as long as `notice-out` in the styles */
const FADE_MS = 400

/**
 * What happened, said once, in a place of its own under the shelf, so that it hides nothing. Of what
 * is plain the last is shown, the others are counted and come forward as it fades; trouble stays until it is put away.
 */
export function Notices() {
  const notices = useSession((state) => state.notices)
  const before = notices.filter(({ tone }) => tone === 'plain').length - 1
  return (
    <Toast.Provider swipeDirection="left" duration={6000} label="Notice">
      {notices.map((notice, n) => (
        <Toast.Root
          key={notice.id}
          type={notice.tone === 'trouble' ? 'foreground' : 'background'}
          duration={notice.tone === 'trouble' ? Number.POSITIVE_INFINITY : 6000}
          onOpenChange={(open) => {
            // it is put away once it has faded
            if (!open) setTimeout(dismiss, FADE_MS, notice.id)
          }}
          hidden={notice.tone === 'plain' && n < notices.length - 1}
          className={`notice items-start gap-2 border-t bg-ground py-1.5 pr-1.5 pl-3 text-[12.5px] ${notice.tone === 'trouble' ? 'border-trouble' : 'border-edge'}`}
        >
          <div className="min-w-0 flex-1">
            <Toast.Description className="py-0.5 break-words">
              {notice.tone === 'trouble' && <span className="mr-1.5 font-[640] text-trouble">Trouble:</span>}
              {notice.text}
              {notice.tone === 'plain' && before > 0 && (
                <span className="caption ml-1.5 whitespace-nowrap">and {before} before</span>
              )}
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
      <Toast.Viewport label="Notices" className="max-h-[140px] shrink-0 overflow-y-auto outline-none" />
    </Toast.Provider>
  )
}
