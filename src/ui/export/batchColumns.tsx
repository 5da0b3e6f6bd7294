import { keyName } from '../../core'
import type { FileFacts } from '../../engine'
import { timeText } from '../common/formats'

/** What the lines of a batch have in common, before it runs and after. */

export const COLUMNS =
  'grid grid-cols-[18px_minmax(150px,1.9fr)_58px_72px_58px_minmax(116px,1fr)_minmax(140px,1.7fr)] items-center gap-x-2.5'

const NAMES = ['', 'File', 'Tempo', 'Stretch', 'Pitch', 'Method'] as const

export const Head = ({ last = 'In doubt' }: { readonly last?: string }) => (
  <div aria-hidden="true" className={`${COLUMNS} caption shrink-0 border-b border-rule px-5 py-1.5`}>
    {[...NAMES, last].map((name) => (
      <span key={name}>{name}</span>
    ))}
  </div>
)

/** The folders that a file lies in, and what is known of it. */
export const aboutFile = (path: string, facts: FileFacts | undefined): string =>
  [
    path.includes('/') ? path.replace(/\/[^/]*$/, '') : undefined,
    ...(facts
      ? [timeText(facts.frames / facts.sampleRate), kindWord(facts.knowledge.material), keyName(facts.knowledge.pitch)]
      : []),
  ]
    .filter((word) => word !== undefined)
    .join('  ·  ')

const kindWord = ({ kind, likely }: { readonly kind: string; readonly likely: string }) =>
  kind === 'unsure' ? `${likely} ?` : kind
