import type { NaturalRange, Reading } from '../../core'

const WIDTH = 132
/** a quarter to four times, by ratio */
const OCTAVES = 2

const place = (stretch: number) => (WIDTH / 2) * (1 + Math.max(-1, Math.min(1, Math.log2(stretch) / OCTAVES)))

const places = (stretch: number) => Number(stretch.toFixed(2))

/** Where a stretch lies between what sounds natural for this material and what does not, and where that is known from. */
export function RangeGauge({
  stretch,
  semitones,
  range,
  kind,
  reading,
}: {
  readonly stretch: number
  readonly semitones: number
  readonly range: NaturalRange
  readonly kind: string
  readonly reading: Reading
}) {
  const [low, high] = range.natural
  const [least, most] = range.slight
  const from =
    range.from === 'measured' ? 'measured on this sound' : `usual for ${kind === 'unsure' ? 'any sound' : kind}`
  return (
    <div
      role="meter"
      aria-label="Natural range"
      aria-valuenow={stretch}
      aria-valuemin={0.25}
      aria-valuemax={4}
      aria-valuetext={`${reading}, ${from}`}
      title={`Natural from ${places(low)} to ${places(high)} × and ± ${places(range.naturalPitch)} st, slight from ${places(least)} to ${places(most)} × and ± ${places(range.slightPitch)} st, less where both change: ${from}${semitones === 0 ? '' : `. Pitch ${semitones > 0 ? '+' : ''}${places(semitones)} st`}`}
    >
      <span className="caption block">
        <b className={reading.startsWith('clearly') ? 'text-trouble' : 'text-text'}>{reading}</b> · {from}
      </span>
      <svg width={WIDTH} height="14" className="mt-1 block overflow-visible" aria-hidden="true">
        <line x1="0" x2={WIDTH} y1="8" y2="8" stroke="var(--edge)" strokeDasharray="2 3" />
        <line x1={place(least)} x2={place(most)} y1="8" y2="8" stroke="var(--faint)" strokeWidth="2" />
        <line x1={place(low)} x2={place(high)} y1="8" y2="8" stroke="var(--tide)" strokeWidth="5" />
        <path
          d={`M${place(stretch)} 9l-4-8h8z`}
          fill={reading.startsWith('clearly') ? 'var(--trouble)' : 'var(--text)'}
        />
      </svg>
    </div>
  )
}
