import { laneColour, laneLook, SHAPES } from './looks'

/** Colour, shape and letter of a lane: any one of them tells it apart. */
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
