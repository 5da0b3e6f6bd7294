/** Colour, shape and letter of a lane: any one of them tells it apart. */
const SHAPES = [
  'M12 2a10 10 0 1 1 0 20a10 10 0 1 1 0-20z',
  'M12 1L23 12L12 23L1 12z',
  'M3 3h18v18H3z',
  'M12 1.5L23 22H1z',
  'M7 2h10l6 10l-6 10H7L1 12z',
  'M12 1l10.5 7.6l-4 12.9h-13l-4-12.9z',
  'M1 3h22L12 22.5z',
  'M6 1h12l5 5v12l-5 5H6l-5-5V6z',
  'M5 5h18l-4 14H1z',
]

/** Which of the nine looks a letter has. */
export const laneLook = (letter: string) => (letter.charCodeAt(0) - 65) % SHAPES.length

export function laneColour(letter: string | undefined): string {
  return letter === undefined ? 'var(--lane-ref)' : `var(--lane-${laneLook(letter) + 1})`
}

export function LaneBadge({ letter, hollow = false }: { letter: string | undefined; hollow?: boolean }) {
  const colour = laneColour(letter)
  if (letter === undefined) {
    return (
      <svg width="22" height="22" viewBox="0 0 24 24" aria-hidden="true" className="shrink-0">
        <path d="M4 12h3l2-7l3 14l3-11l2 4h3" fill="none" stroke={colour} strokeWidth="2.2" strokeLinejoin="round" />
      </svg>
    )
  }
  const low = SHAPES[laneLook(letter)] === SHAPES[3] ? 2.6 : SHAPES[laneLook(letter)] === SHAPES[6] ? -2 : 0
  return (
    <svg width="22" height="22" viewBox="0 0 24 24" aria-hidden="true" className="shrink-0">
      <path d={SHAPES[laneLook(letter)]} fill={hollow ? 'none' : colour} stroke={colour} strokeWidth="1.6" />
      <text
        x="12"
        y={16.2 + low}
        textAnchor="middle"
        fontSize="11.5"
        fontWeight="720"
        fill={hollow ? colour : 'var(--on-lane)'}
      >
        {letter}
      </text>
    </svg>
  )
}
