import { artefactKind, methodById } from '../../core'
import type { ChartColours } from '../common/chartColours'
import type { ChartOption } from '../common/EChart'
import { chartMark } from '../common/looks'
import { columnOf, placeName, placeText, placeUnit, type SweepModel, thresholdsOf } from './model'

/** The heat map over the curves, on one axis of places. */

export const ROW_PX = 26
/** what lies over the first row */
export const TOP_PX = 8
const AXIS_PX = 40
const RIGHT_PX = 64

export interface ChartShape {
  /** px left of the columns: for names of rows, or only for the curves' figures */
  readonly left: number
  /** whether rows carry their names; where they stand beside the chart they do not */
  readonly named: boolean
  /** which row and column is chosen */
  readonly chosen?: { readonly row: number; readonly column: number } | undefined
}

/** A colour on the way from the ground to harm, by severity: three steps that are told apart, and shades between. */
export function heat(severity: number, { well, harm }: Pick<ChartColours, 'well' | 'harm'>): string {
  // what is severe jumps to the full colour, so that text is either on the dark or on the bright side of it
  if (severity >= 3) return mixed(well, harm, Math.min(1, 0.85 + 0.15 * (severity - 3)))
  return mixed(well, harm, Math.max(0, severity <= 1 ? 0.08 * severity : 0.08 + 0.19 * (severity - 1)))
}

/** Two colours of the form #rrggbb mixed, 0 the first, 1 the second. */
export function mixed(a: string, b: string, share: number): string {
  const parts = [1, 3, 5].map((at) => {
    const from = Number.parseInt(a.slice(at, at + 2), 16)
    const to = Number.parseInt(b.slice(at, at + 2), 16)
    return Math.round(from + (to - from) * share)
  })
  return `rgb(${parts.join(',')})`
}

/** The height that rows and curves take together, with so much of it for the curves. */
export const chartHeight = (rows: number, curvesPx: number) => TOP_PX + rows * ROW_PX + AXIS_PX + curvesPx + 12

export function sweepOption(model: SweepModel, colours: ChartColours, shape: ChartShape): ChartOption {
  const { axis, places, methodIds, cells, breaks, shown } = model
  const rows = methodIds.length
  const heatPx = rows * ROW_PX
  const count = places.length
  const label = { color: colours.soft, fontSize: 11, fontFamily: 'Archivo Variable, sans-serif' }
  const across = { type: 'value', min: -0.5, max: count - 0.5, interval: 0.5 } as const
  const thresholds = thresholdsOf(shown)
  const severe = thresholds[2]?.at ?? 1
  const highest = Math.max(severe * 1.15, ...cells.map(({ value }) => Math.min(value ?? 0, 2.2 * severe)))
  const rest = columnOf(axis, axis === 'pitch' ? 0 : 1)
  const hasRest = axis !== 'far'

  return {
    animation: false,
    textStyle: { fontFamily: 'Archivo Variable, sans-serif' },
    grid: [
      { left: shape.left, right: RIGHT_PX, top: TOP_PX, height: heatPx },
      { left: shape.left, right: RIGHT_PX, top: TOP_PX + heatPx + AXIS_PX, bottom: 12 },
    ],
    xAxis: [
      {
        ...across,
        gridIndex: 0,
        position: 'bottom',
        axisLine: { show: false },
        axisTick: { show: false },
        splitLine: { show: false },
        name: placeUnit(axis),
        nameLocation: 'end',
        nameGap: 6,
        nameTextStyle: { ...label, color: colours.faint, verticalAlign: 'top', padding: [9, 0, 0, 0] },
        axisLabel: {
          ...label,
          margin: 8,
          formatter: (n: number) => (Number.isInteger(n) && places[n] !== undefined ? placeText(axis, places[n]) : ''),
        },
      },
      {
        ...across,
        gridIndex: 1,
        axisLine: { show: false },
        axisTick: { show: false },
        axisLabel: { show: false },
        splitLine: { show: false },
      },
    ],
    yAxis: [
      {
        gridIndex: 0,
        type: 'category',
        inverse: true,
        data: methodIds.map((id) => methodById(id).label),
        axisLine: { show: false },
        axisTick: { show: false },
        axisLabel: { ...label, show: shape.named, margin: 10, color: colours.text },
      },
      {
        gridIndex: 1,
        type: 'value',
        min: 0,
        max: highest,
        axisLine: { show: false },
        axisTick: { show: false },
        splitLine: { show: false },
        axisLabel: {
          ...label,
          color: colours.faint,
          showMaxLabel: false,
          formatter: (v: number) => (shown === 'worst' ? '' : String(Number(v.toFixed(2)))),
        },
        name: shown === 'worst' ? '' : artefactKind(shown).unit,
        nameTextStyle: { ...label, color: colours.faint, align: 'right' },
        nameGap: 6,
      },
    ],
    tooltip: {
      trigger: 'item',
      renderMode: 'richText',
      backgroundColor: colours.well,
      borderColor: colours.edge,
      textStyle: { ...label, color: colours.text, fontSize: 12 },
    },
    series: [
      {
        id: 'heat',
        type: 'custom',
        silent: true,
        xAxisIndex: 0,
        yAxisIndex: 0,
        encode: { x: 0, y: 1 },
        data: cells.map(({ column, row }) => [column, row]),
        renderItem: ({ dataIndex }: { dataIndex: number }, api: DrawingApi) => {
          const cell = cells[dataIndex]
          const [x, y] = api.coord([api.value(0), api.value(1)]) as [number, number]
          const [w, h] = api.size([1, 1]) as [number, number]
          const severity = cell?.severity
          return {
            type: 'rect',
            shape: { x: x - w / 2 + 0.5, y: y - h / 2 + 0.5, width: w - 1, height: h - 1 },
            style: { fill: severity === undefined ? 'transparent' : heat(severity, colours) },
            textContent: {
              style: {
                text: cell?.text ?? '',
                fill: (severity ?? 0) >= 3 ? colours.onHarm : (severity ?? 0) < 1 ? colours.faint : colours.text,
                font: `${(severity ?? 0) >= 3 ? 640 : 440} 10.5px Archivo Variable, sans-serif`,
                width: w - 3,
                overflow: 'truncate',
                ellipsis: '',
              },
            },
            textConfig: { position: 'inside' },
          }
        },
      },
      {
        id: 'breaks',
        type: 'custom',
        silent: true,
        xAxisIndex: 0,
        yAxisIndex: 0,
        data: breaks.flatMap(({ low, high }, row) => [
          ...(low === undefined ? [] : [[columnOf(axis, low), row, 1]]),
          ...(high === undefined ? [] : [[columnOf(axis, high), row, -1]]),
        ]),
        renderItem: (_: unknown, api: DrawingApi) => {
          const [x, y] = api.coord([api.value(0), api.value(1)]) as [number, number]
          const [, h] = api.size([1, 1]) as [number, number]
          const inwards = 5 * api.value(2)
          return {
            type: 'polyline',
            shape: {
              points: [
                [x + inwards, y - h / 2 + 3],
                [x, y - h / 2 + 3],
                [x, y + h / 2 - 3],
                [x + inwards, y + h / 2 - 3],
              ],
            },
            style: { stroke: colours.text, lineWidth: 2, fill: 'none' },
          }
        },
      },
      {
        id: 'chosen',
        type: 'custom',
        silent: true,
        xAxisIndex: 0,
        yAxisIndex: 0,
        data: shape.chosen ? [[shape.chosen.column, shape.chosen.row]] : [],
        renderItem: (_: unknown, api: DrawingApi) => {
          const [x, y] = api.coord([api.value(0), api.value(1)]) as [number, number]
          const [w, h] = api.size([1, 1]) as [number, number]
          return {
            type: 'rect',
            shape: { x: x - w / 2 + 1, y: y - h / 2 + 1, width: w - 2, height: h - 2, r: 2 },
            style: { fill: 'none', stroke: colours.tide, lineWidth: 2.5 },
          }
        },
      },
      {
        id: 'rest',
        type: 'custom',
        silent: true,
        xAxisIndex: 0,
        yAxisIndex: 0,
        data: hasRest ? [[rest, 0]] : [],
        renderItem: (_: unknown, api: DrawingApi) => {
          const [x] = api.coord([api.value(0), 0]) as [number, number]
          return {
            type: 'line',
            shape: { x1: x, x2: x, y1: TOP_PX, y2: TOP_PX + heatPx },
            style: { stroke: colours.tide, lineWidth: 2 },
          }
        },
      },
      ...methodIds.map((methodId, row) => ({
        id: methodId,
        name: methodById(methodId).label,
        type: 'line' as const,
        xAxisIndex: 1,
        yAxisIndex: 1,
        symbol: chartMark(row),
        symbolSize: 8,
        clip: true,
        lineStyle: { width: 1.6, color: colours.lanes[row] },
        itemStyle: { color: colours.lanes[row] },
        emphasis: { focus: 'series', lineStyle: { width: 2.6 } },
        tooltip: {
          formatter: ({ dataIndex }: { dataIndex: number }) => {
            const cell = cells.filter((one) => one.row === row)[dataIndex]
            return cell
              ? `${methodById(methodId).label} at ${placeName(axis, cell.point.at)}\n${cell.told}`
              : methodById(methodId).label
          },
        },
        data: cells
          .filter((cell) => cell.row === row)
          .map(({ column, value }) => [column, value === undefined ? null : Math.min(value, highest)]),
        ...(row === 0 && {
          markLine: {
            silent: true,
            symbol: 'none',
            lineStyle: { color: colours.faint, type: [3, 4], width: 1 },
            label: { ...label, color: colours.faint, position: 'end', formatter: '{b}' },
            data: [
              ...thresholds.filter(({ at }) => at <= highest).map(({ at, name }) => ({ name, yAxis: at })),
              ...(hasRest
                ? [
                    {
                      name: '',
                      xAxis: rest,
                      lineStyle: { color: colours.tide, type: 'solid' as const, width: 2 },
                      label: { show: false },
                    },
                  ]
                : []),
            ],
          },
        }),
      })),
    ],
  }
}

interface DrawingApi {
  value(dimension: number): number
  coord(data: readonly number[]): number[]
  size(data: readonly number[]): number[]
}
