import { useEffect, useRef, useState } from 'react'
import { partFacts, type Source } from '../../session'
import { wholeView } from '../bench/lanes/geometry'
import { OffGridPlot } from '../bench/timing/OffGridPlot'
import { GridPanel } from '../bench/timing/TimingPanel'

const HEAD_PX = 208

/** The timing of the chosen part's source: what is moved there moves in all its parts. */
export function PartTiming({ source }: { readonly source: Source }) {
  const box = useRef<HTMLDivElement>(null)
  const [widthPx, setWidth] = useState(0)
  useEffect(() => {
    const element = box.current
    if (!element) return
    const watch = new ResizeObserver(() => setWidth(element.clientWidth))
    watch.observe(element)
    return () => watch.disconnect()
  }, [])
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
