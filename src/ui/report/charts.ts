import { type Measurement, methodText, SEVERITY, severityOfArtefact } from '../../core'
import { columnsOf } from '../bench/harm/scores'
import type { ChartColours } from '../common/chartColours'
import type { ChartOption } from '../common/EChart'
import { chartMark, methodLook } from '../common/looks'

/** Charts of a comparison: every kind of harm on one scale, a mark for each variant. */

export interface ComparedVariant {
  readonly letter: string
  readonly methodId: string
  /** of joined lanes */
  readonly joins?: readonly { readonly methodId: string }[] | undefined
  readonly measurement: Measurement
}

const MOST = 4.4
const ROW_PX = 22

export const comparisonHeight = (kinds: number) => kinds * ROW_PX + 34

/** Kinds that anything was measured of, the worst anywhere first. */
export const comparedKinds = (variants: readonly ComparedVariant[]) =>
  columnsOf(
    variants.map(({ letter, measurement }) => ({
      variantId: letter,
      trial: { span: { from: 0, to: 0 }, measurement },
    })),
  )

export function comparisonOption(
  variants: readonly ComparedVariant[],
  colours: Pick<ChartColours, 'text' | 'soft' | 'rule' | 'lanes'>,
): ChartOption {
  const kinds = comparedKinds(variants)
  const label = { color: colours.soft, fontSize: 11.5, fontFamily: 'Archivo Variable, system-ui, sans-serif' }
  const names: Readonly<Record<number, string>> = {
    [SEVERITY.audible]: 'audible',
    [SEVERITY.clear]: 'clear',
    [SEVERITY.severe]: 'severe',
  }
  return {
    animation: false,
    grid: { left: 118, right: 24, top: 26, bottom: 8 },
    xAxis: {
      type: 'value',
      position: 'top',
      min: 0,
      max: MOST,
      interval: 1,
      axisLabel: { ...label, showMaxLabel: false, formatter: (value: number) => names[value] ?? '' },
      splitLine: { lineStyle: { color: colours.rule } },
    },
    yAxis: {
      type: 'category',
      inverse: true,
      data: kinds.map((kind) => kind.label),
      axisLine: { show: false },
      axisTick: { show: false },
      axisLabel: { ...label, color: colours.text },
    },
    series: variants.map(({ letter, methodId, joins, measurement }, n) => {
      const look = methodLook(methodId)
      return {
        id: letter,
        name: `${letter} ${methodText({ methodId, joins })}`,
        type: 'line' as const,
        lineStyle: { opacity: 0 },
        symbol: chartMark(look),
        symbolSize: 12,
        itemStyle: { color: colours.lanes[look], opacity: 0.92 },
        // several at one place stand beside one another
        symbolOffset: [0, (n - (variants.length - 1) / 2) * Math.min(4, 14 / Math.max(1, variants.length))],
        data: kinds.map((kind, row) => {
          const artefact = measurement.artefacts.find(({ id }) => id === kind.id)
          return artefact?.measured ? [Math.min(MOST - 0.15, severityOfArtefact(artefact)), row] : [null, row]
        }),
        markLine:
          n === 0
            ? {
                silent: true,
                symbol: 'none',
                label: { show: false },
                lineStyle: { color: colours.soft, type: [3, 4] },
                data: [SEVERITY.audible, SEVERITY.clear, SEVERITY.severe].map((at) => ({ xAxis: at })),
              }
            : undefined,
      }
    }),
  }
}
