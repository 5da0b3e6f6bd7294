import { CustomChart, LineChart } from 'echarts/charts'
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { type EChartsCoreOption, type EChartsType, init, use } from 'echarts/core'
import { CanvasRenderer, SVGRenderer } from 'echarts/renderers'
import { useEffect, useRef } from 'react'

use([CustomChart, LineChart, GridComponent, MarkLineComponent, TooltipComponent, CanvasRenderer, SVGRenderer])

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

  useEffect(() => {
    const element = box.current
    if (!element) return
    const made = init(element, undefined, { renderer: 'canvas' })
    chart.current = made
    made.on('click', ({ seriesId, dataIndex }) => {
      if (seriesId !== undefined) pick.current?.(seriesId, dataIndex)
    })
    const watch = new ResizeObserver(() => made.resize())
    watch.observe(element)
    return () => {
      watch.disconnect()
      made.dispose()
      chart.current = undefined
    }
  }, [])

  useEffect(() => {
    chart.current?.setOption(option, { notMerge: true })
  }, [option])

  return <div ref={box} role="img" aria-label={label} className={className} />
}

/** A chart as a picture: `width` × `height` CSS px, drawn at twice that. */
export function chartPng(option: ChartOption, width: number, height: number, background: string): string {
  const element = document.createElement('div')
  const chart = init(element, undefined, { renderer: 'canvas', width, height })
  chart.setOption({ ...option, animation: false })
  const url = chart.getDataURL({ type: 'png', pixelRatio: 2, backgroundColor: background })
  chart.dispose()
  return url
}

/** A chart as SVG text, for pages that stand alone. */
export function chartSvg(option: ChartOption, width: number, height: number): string {
  const chart = init(null, undefined, { renderer: 'svg', ssr: true, width, height })
  chart.setOption({ ...option, animation: false })
  const svg = chart.renderToSVGString()
  chart.dispose()
  return svg
}
