import type { EChartsCoreOption, EChartsType } from 'echarts/core'
import { useEffect, useRef } from 'react'

const parts = () => import('./chartParts')

export type ChartOption = EChartsCoreOption

/** A chart that fills its box. What it says in words is `label`; whoever shows it gives the figures as text besides. */
export function EChart({
  option,
  label,
  onPick,
  className,
}: {
  readonly option: ChartOption
  readonly label: string
  /** the series and the index in its data of what was clicked */
  readonly onPick?: (seriesId: string, index: number) => void
  readonly className?: string
}) {
  const box = useRef<HTMLDivElement>(null)
  const chart = useRef<EChartsType>(undefined)
  const pick = useRef(onPick)
  pick.current = onPick
  const latest = useRef(option)
  latest.current = option

  useEffect(() => {
    const element = box.current
    if (!element) return
    let made: EChartsType | undefined
    let gone = false
    const watch = new ResizeObserver(() => made?.resize())
    void parts().then(({ init }) => {
      if (gone) return
      made = init(element, undefined, { renderer: 'canvas' })
      chart.current = made
      made.on('click', ({ seriesId, dataIndex }) => {
        if (seriesId !== undefined) pick.current?.(seriesId, dataIndex)
      })
      made.setOption(latest.current, { notMerge: true })
      watch.observe(element)
    })
    return () => {
      gone = true
      watch.disconnect()
      made?.dispose()
      chart.current = undefined
    }
  }, [])

  useEffect(() => {
    chart.current?.setOption(option, { notMerge: true })
  }, [option])

  return <div ref={box} role="img" aria-label={label} className={className} />
}

/** A chart as a picture: `width` × `height` CSS px, drawn at twice that. */
export async function chartPng(
  option: ChartOption,
  width: number,
  height: number,
  background: string,
): Promise<string> {
  const { init } = await parts()
  const element = document.createElement('div')
  const chart = init(element, undefined, { renderer: 'canvas', width, height })
  chart.setOption({ ...option, animation: false })
  const url = chart.getDataURL({ type: 'png', pixelRatio: 2, backgroundColor: background })
  chart.dispose()
  return url
}

/** A chart as SVG text, for pages that stand alone. */
export async function chartSvg(option: ChartOption, width: number, height: number): Promise<string> {
  const { init } = await parts()
  const chart = init(null, undefined, { renderer: 'svg', ssr: true, width, height })
  chart.setOption({ ...option, animation: false })
  const svg = chart.renderToSVGString()
  chart.dispose()
  return svg
}
