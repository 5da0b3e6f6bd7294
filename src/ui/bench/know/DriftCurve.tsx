/** Tempo per bar of a free performance, as a stepped line around its mean. */
export function DriftCurve({ bars }: { bars: readonly { readonly seconds: number; readonly bpm: number }[] }) {
  const width = 386
  const height = 92
  const low = Math.min(...bars.map(({ bpm }) => bpm))
  const high = Math.max(...bars.map(({ bpm }) => bpm))
  const room = Math.max(1, high - low)
  const y = (bpm: number) => 14 + (height - 34) * (1 - (bpm - low) / room)
  const step = width / Math.max(1, bars.length)
  const mean = bars.reduce((sum, { bpm }) => sum + bpm, 0) / Math.max(1, bars.length)
  const path = bars
    .map(({ bpm }, i) => `${i === 0 ? 'M' : 'L'}${i * step} ${y(bpm)}L${(i + 1) * step} ${y(bpm)}`)
    .join('')
  return (
    <svg
      width={width}
      height={height}
      role="img"
      aria-label={`Tempo by bar: ${bars.map(({ bpm }) => bpm.toFixed(1)).join(', ')}`}
    >
      <line x1="0" x2={width} y1={y(mean)} y2={y(mean)} stroke="var(--edge)" strokeDasharray="3 3" />
      <path d={path} fill="none" stroke="var(--tide)" strokeWidth="1.6" />
      {bars.map(({ bpm, seconds }, i) =>
        step > 26 || i % Math.ceil(26 / step) === 0 ? (
          <g key={seconds}>
            <text x={i * step + 3} y={y(bpm) - 4} fontSize="10.5" fill="var(--soft)">
              {bpm.toFixed(1)}
            </text>
            <text x={i * step + 3} y={height - 4} fontSize="10" fill="var(--faint)">
              bar {i + 1}
            </text>
          </g>
        ) : null,
      )}
    </svg>
  )
}
