import type { Strain } from './strain'

const TEETH = { none: 0, slight: 1, clear: 3 } as const

/** How far something is stretched beyond what is natural: by teeth drawn apart or pressed together, and in words. */
export function StrainMark({
  strain: { grade, words },
  words: told,
}: {
  readonly strain: Strain
  readonly words: boolean
}) {
  if (grade === 'none') return null
  const isShort = /short|low/.test(words)
  const teeth = TEETH[grade]
  return (
    <span
      className={`inline-flex items-center gap-1 ${grade === 'clear' ? 'text-trouble' : 'text-soft'}`}
      title={words}
    >
      <svg width={5 * teeth + 3} height="9" viewBox={`0 0 ${5 * teeth + 3} 9`} aria-hidden="true">
        {Array.from({ length: teeth }, (_, n) => (
          <path
            // biome-ignore lint/suspicious/noArrayIndexKey: teeth are alike
            key={n}
            d={
              isShort
                ? `M${5 * n + 5} 1L${5 * n + 1.5} 4.5L${5 * n + 5} 8`
                : `M${5 * n + 1.5} 1L${5 * n + 5} 4.5L${5 * n + 1.5} 8`
            }
            fill="none"
            stroke="currentColor"
            strokeWidth="1.5"
          />
        ))}
      </svg>
      {told && <span className="text-[11px]">{words}</span>}
    </span>
  )
}
