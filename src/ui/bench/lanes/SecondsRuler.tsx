import { ticks, tickText, type View, xOf } from './geometry'

/** Seconds along what is looked at: frames of a source, or of a result. */
export function SecondsRuler({
  label,
  view,
  widthPx,
  heightPx,
  sampleRate,
  className = '',
}: {
  readonly label: string
  readonly view: View
  readonly widthPx: number
  readonly heightPx: number
  readonly sampleRate: number
  readonly className?: string
}) {
  if (widthPx < 1) return null
  const marks = ticks(
    view.start / sampleRate,
    (view.start + view.span) / sampleRate,
    widthPx,
    (seconds) => xOf(view, seconds * sampleRate, widthPx),
    74,
  )
  const majors = marks.filter(({ major }) => major)
  const step = majors.length > 1 ? (majors[1]?.seconds ?? 1) - (majors[0]?.seconds ?? 0) : 1
  return (
    <svg width={widthPx} height={heightPx} role="img" aria-label={label} className={`block ${className}`}>
      {marks.map(({ seconds, x, major }) => (
        <g key={seconds} transform={`translate(${Math.round(x) + 0.5} 0)`}>
          <line
            y1={major ? heightPx - 14 : heightPx - 6}
            y2={heightPx}
            stroke={major ? 'var(--edge)' : 'var(--rule)'}
          />
          {major && (
            <text x="5" y={heightPx - 6} fontSize="11" fill="var(--soft)">
              {tickText(seconds, step)}
            </text>
          )}
        </g>
      ))}
    </svg>
  )
}
