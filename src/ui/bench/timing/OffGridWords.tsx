import { memo, useMemo } from 'react'
import { dotsOf, offGridOf, offGridWords, openGrid } from '../../../core'
import { gridBeatsOf, partFacts, ruleOf, type Source, shapeOf, type TimedDot } from '../../../session'
import { knowledgeOf } from '../../session/know/knowledge'
import { useSession } from '../../session/state/store'

/** How the attacks of a source lie against its grid, in words: as they were played, and as they are now. */
export const OffGridWords = memo(function OffGridWords({
  source,
  dots,
}: {
  readonly source: Source
  readonly dots: readonly TimedDot[]
}) {
  const found = useSession((state) => knowledgeOf(state, source))
  const grooves = useSession((state) => state.history.present.grooves)
  const { hand, range, facts } = source
  const { grid, swing, groove } = ruleOf(source)
  // biome-ignore lint/correctness/useExhaustiveDependencies: beats and grid follow from these parts of a source
  const of = useMemo(() => {
    const beats = gridBeatsOf(source, found)
    const part = partFacts(source)
    if (!beats || !part) return undefined
    const shape = shapeOf(ruleOf(source), grooves)
    const beatsPerBar = hand.beatsPerBar ?? found?.tempo.beatsPerBar ?? 4
    const bars = ((part.frames / part.sampleRate) * beats.bpm) / 60 / beatsPerBar
    const [own, onto] = [openGrid(shape, beats.own), openGrid(shape, beats.onto)]
    return (hits: readonly { seconds: number; strength: number }[], by: 'own' | 'onto') => {
      const grid = by === 'own' ? own : onto
      const figures = offGridOf(dotsOf(hits, grid, onto), grid, beatsPerBar)
      return figures ? offGridWords(figures, bars) : 'too few attacks to tell'
    }
  }, [hand, range, facts, found, grooves, grid, swing, groove])
  const struck = dots.filter(({ isBare }) => !isBare)
  const isMoved = dots.some(({ own, seconds }) => own !== seconds)
  const count = struck.length
  // biome-ignore lint/correctness/useExhaustiveDependencies: where attacks were played does not change by pulling
  const played = useMemo(() => of?.(struck, 'own'), [of, count])
  const now = isMoved
    ? of?.(
        struck.map(({ own, strength }) => ({ seconds: own, strength })),
        'onto',
      )
    : undefined
  return (
    <>
      <span className="min-w-0 truncate" title={`As played: ${played}`}>
        <span className="caption mr-2">As played</span>
        <b className="font-[600]">{played}</b>
      </span>
      {now !== undefined && (
        <span className="shrink-0">
          <span className="caption mr-2">Now</span>
          <b className="font-[600]">{now}</b>
        </span>
      )}
    </>
  )
})
