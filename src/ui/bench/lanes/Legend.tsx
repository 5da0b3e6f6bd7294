import type { ReactNode } from 'react'
import { useSession } from '../../session/state/store'
import { DIFFERENCE_DB } from '../spectra/picture'
import { differenceStops } from '../spectra/ramps'

/** What is coloured in the lanes, and what it says: the rows of the ribbons, and how lanes differ. */
export function Legend() {
  const display = useSession((state) => state.outlook.display)
  const theme = useSession((state) => state.outlook.theme)
  const differs = display.show === 'spectrogram' && display.against !== undefined
  return (
    <p className="sticky bottom-0 z-30 flex min-h-[19px] flex-wrap items-center gap-x-4 border-t border-rule bg-ground px-4 text-[11.5px] whitespace-nowrap text-soft">
      <span className="font-[620] text-text">Harm under each lane, taller is worse</span>
      <span className="inline-flex items-center gap-1">
        1st row attacks
        <Mark>
          <circle cx="5" cy="5" r="3.4" fill="none" stroke="var(--harm)" strokeWidth="1.8" />
        </Mark>
        lost
        <Mark>
          <path d="M2 0h2v10H2zM6 0h2v10H6z" fill="var(--harm)" />
        </Mark>
        repeated
        <Mark>
          <path d="M0 4h10v6H0z" fill="var(--harm)" />
        </Mark>
        dull or late
      </span>
      <span>2nd tones</span>
      <span className="inline-flex items-center gap-1">
        3rd noise
        <Mark>
          <path d="M4 0h2v10H4z" fill="var(--harm)" />
        </Mark>
        click
      </span>
      <span>4th level</span>
      {differs && (
        <span className="ml-auto inline-flex items-center gap-1.5">
          {DIFFERENCE_DB} dB quieter
          <span
            className="inline-block h-[9px] w-[90px] rounded-[2px]"
            style={{ background: `linear-gradient(90deg, ${differenceStops(theme ?? 'ink').join(', ')})` }}
          />
          {DIFFERENCE_DB} dB louder
        </span>
      )}
    </p>
  )
}

const Mark = ({ children }: { children: ReactNode }) => (
  <svg width="10" height="10" viewBox="0 0 10 10" aria-hidden="true" className="shrink-0">
    {children}
  </svg>
)
