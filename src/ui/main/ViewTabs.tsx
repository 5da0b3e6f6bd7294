import type { Outlook } from '../../session'
import { useSession } from '../session/state/store'
import { showView } from '../session/views'

const VIEWS: readonly { readonly id: Outlook['view']; readonly label: string; readonly title: string }[] = [
  { id: 'bench', label: 'Bench', title: 'One target, several methods side by side (B)' },
  { id: 'sweep', label: 'Sweep', title: 'Where each method breaks on this sound (W)' },
  { id: 'timeline', label: 'Timeline', title: 'Sounds together, against bars, under one tempo line (T)' },
  { id: 'play', label: 'Play', title: 'Stretch far, mark what is good, and play it (P)' },
  { id: 'export', label: 'Export', title: 'Take all of it away, as files (O)' },
]

/** The views: of a source, and of all together. */
export function ViewTabs() {
  const view = useSession((state) => state.outlook.view)
  const blind = useSession((state) => state.blind !== undefined)
  return (
    <nav aria-label="Views" className="mr-3 flex">
      {VIEWS.map(({ id, label, title }) => (
        <button
          key={id}
          type="button"
          // "Play" alone is the button that lets sound begin, "Export" those that begin to export
          role={id === 'play' || id === 'export' ? 'link' : undefined}
          className="view-tab"
          aria-current={view === id ? 'page' : undefined}
          disabled={blind && view !== id}
          title={title}
          onClick={() => showView(id)}
        >
          {label}
        </button>
      ))}
    </nav>
  )
}
