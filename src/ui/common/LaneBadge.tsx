import type { Variant } from '../../session'
import { laneColour, methodLook, SHAPES } from './looks'

/** The letter of a lane, in the colour and shape of its method. Without a variant it is the source as it is. */
export function LaneBadge({
  variant,
  hollow = false,
}: {
  variant: Pick<Variant, 'letter' | 'methodId'> | undefined
  hollow?: boolean
}) {
  const colour = laneColour(variant?.methodId)
  if (variant === undefined) {
    return (
      <svg width="22" height="22" viewBox="0 0 24 24" aria-hidden="true" className="shrink-0">
        <path d="M4 12h3l2-7l3 14l3-11l2 4h3" fill="none" stroke={colour} strokeWidth="2.2" strokeLinejoin="round" />
      </svg>
    )
  }
  const shape = SHAPES[methodLook(variant.methodId)]
  const low = shape === SHAPES[3] ? 2.6 : shape === SHAPES[6] ? -2 : 0
  return (
    <svg width="22" height="22" viewBox="0 0 24 24" aria-hidden="true" className="shrink-0">
      <path d={shape} fill={hollow ? 'none' : colour} stroke={colour} strokeWidth="1.6" />
      <text
        x="12"
        y={16.2 + low}
        textAnchor="middle"
        fontSize="11.5"
        fontWeight="720"
        fill={hollow ? colour : 'var(--on-lane)'}
      >
        {variant.letter}
      </text>
    </svg>
  )
}
