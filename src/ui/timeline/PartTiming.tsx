import { useRef } from 'react'
import { partFacts, type Source } from '../../session'
import { HEAD_PX, wholeView } from '../bench/lanes/geometry'
import { OffGridPlot } from '../bench/timing/OffGridPlot'
import { GridPanel } from '../bench/timing/TimingPanel'
import { useSize } from '../common/useSize'
import { useLead } from '../session/timing'

/** The timing of the chosen part's source: what is moved there moves in all its parts. */
export function PartTiming({ source: shown }: { readonly source: Source }) {
  const source = useLead(shown)
  const box = useRef<HTMLDivElement>(null)
  const [widthPx] = useSize(box)
  const frames = partFacts(source)?.frames ?? 1
  return (
    <section ref={box} aria-label={`Timing of ${source.name}`} className="shrink-0 bg-deck">
      {widthPx > HEAD_PX && (
        <OffGridPlot source={source} view={wholeView(frames)} widthPx={widthPx - HEAD_PX} headPx={HEAD_PX} />
      )}
      <GridPanel source={source} />
    </section>
  )
}
