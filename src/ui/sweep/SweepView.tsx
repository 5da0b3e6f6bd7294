import { useEffect, useMemo, useRef, useState } from 'react'
import { methodById, methods, type SweepPoint } from '../../core'
import { errorText } from '../../host/errorText'
import { type Source, soundKey } from '../../session'
import { chartColours } from '../common/chartColours'
import { EChart } from '../common/EChart'
import { heardSound, hearTried } from '../session/hear/listening'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { placeRecipe, sweepOf } from '../session/try/sweeps'
import { rangeOfTrial } from '../session/try/trying'
import { chartHeight, ROW_PX, sweepOption, TOP_PX } from './chart'
import { type Cell, placeName, type Shown, sweepModel } from './model'
import { PointPanel } from './PointPanel'
import { RowHeads } from './RowHeads'
import { SweepBar } from './SweepBar'

const HEAD_PX = 168
const RIGHT_PX = 64
const CURVES_PX = 150

/** Where does each method break on this sound? Ratio across, methods down; every point can be heard. */
export function SweepView({ source }: { source: Source }) {
  const { axis, methodIds: chosenMethods, shown: shownText } = useSession((state) => state.outlook.sweep)
  const theme = useSession((state) => state.outlook.theme)
  const sweep = useSession((state) => sweepOf(state, source))
  const ready = useSession((state) => state.loads[soundKey(source)]?.status === 'ready')
  const shown = shownText as Shown
  const points = sweep?.points
  const allIds = useMemo(() => methods.map((method) => method.id), [])
  const model = useMemo(
    () =>
      sweepModel(
        axis,
        allIds,
        (points ?? []).filter((point) => chosenMethods.includes(point.methodId)),
        shown,
      ),
    [axis, allIds, points, chosenMethods, shown],
  )
  const [chosen, setChosen] = useState<{ row: number; column: number }>()
  const cell = chosen && model.cells.find((one) => one.row === chosen.row && one.column === chosen.column)
  const colours = useMemo(() => chartColours(theme), [theme])
  const option = useMemo(
    () => sweepOption(model, colours, { left: HEAD_PX, named: false, chosen }),
    [model, colours, chosen],
  )

  const hear = (point: SweepPoint) => {
    const sound = heardSound(source)
    if (!sound) return
    const recipe = placeRecipe(source, point)
    hearTried({ sourceId: source.id, recipe, ...rangeOfTrial(recipe, point, sound.decoded.sound) })
  }
  const pick = (next: Cell) => {
    setChosen({ row: next.row, column: next.column })
    hear(next.point)
  }

  return (
    <section aria-label="Sweep" className="flex min-h-0 flex-1 flex-col">
      <SweepBar source={source} sweep={sweep} model={model} ready={ready} />
      {sweep?.error !== undefined && (
        <p role="alert" className="px-5 pb-2 text-trouble">
          {errorText(sweep.error)} What was measured stays; Measure goes on from there.
        </p>
      )}
      <div className="relative min-h-0 flex-1 overflow-y-auto bg-well">
        <div className="relative" style={{ height: `max(100%, ${chartHeight(allIds.length, CURVES_PX)}px)` }}>
          <EChart
            option={option}
            className="absolute inset-0"
            label={`${shown === 'worst' ? 'The worst harm' : shown} by ${axis === 'pitch' ? 'pitch' : 'length'} and method: the same figures are in the cells that follow`}
            onPick={(seriesId, index) => {
              const row = allIds.indexOf(seriesId)
              const found = model.cells.filter((one) => one.row === row)[index]
              if (found) pick(found)
            }}
          />
          <RowHeads
            methodIds={allIds}
            chosen={chosenMethods}
            breaks={model.breaks}
            axis={axis}
            measured={model.cells}
            onToggle={(id) =>
              setOutlook((outlook) => ({
                sweep: {
                  ...outlook.sweep,
                  methodIds: chosenMethods.includes(id)
                    ? chosenMethods.filter((one) => one !== id)
                    : allIds.filter((one) => one === id || chosenMethods.includes(one)),
                },
              }))
            }
          />
          <Cells model={model} chosen={chosen} onChoose={setChosen} onPick={pick} />
          {model.cells.length === 0 && (
            <p
              className="absolute max-w-[64ch] text-soft"
              style={{ left: HEAD_PX + 24, top: TOP_PX + ROW_PX * allIds.length + 70 }}
            >
              Nothing is measured here yet. Measure tries every method at every place of the axis on the part of the
              sound that tells most, in the background; what is there can be heard at once, and it goes on after a
              reload.
            </p>
          )}
        </div>
      </div>
      <PointPanel source={source} cell={cell} onHear={hear} />
    </section>
  )
}

/** The cells as buttons over the drawing: to be walked with the arrow keys, heard with Enter or a click. */
function Cells({
  model,
  chosen,
  onChoose,
  onPick,
}: {
  model: ReturnType<typeof sweepModel>
  chosen: { row: number; column: number } | undefined
  onChoose: (place: { row: number; column: number }) => void
  onPick: (cell: Cell) => void
}) {
  const grid = useRef<HTMLDivElement>(null)
  const first = model.cells[0]
  const at = chosen ?? (first && { row: first.row, column: first.column })

  useEffect(() => {
    // the chosen cell follows the keys only while the grid has them
    if (chosen && grid.current?.contains(document.activeElement)) {
      grid.current.querySelector<HTMLElement>('[tabindex="0"]')?.focus()
    }
  }, [chosen])

  const walk = (event: React.KeyboardEvent, cell: Cell) => {
    const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[event.key]
    if (!step) return
    event.preventDefault()
    event.stopPropagation()
    const [down, across] = step as [number, number]
    // past what is not there yet to the next that is
    for (
      let row = cell.row + down, column = cell.column + across;
      row >= 0 && row < model.methodIds.length && column >= 0 && column < model.places.length;
      row += down, column += across
    ) {
      if (model.cells.some((one) => one.row === row && one.column === column)) {
        onChoose({ row, column })
        return
      }
    }
  }

  return (
    <div
      ref={grid}
      role="group"
      aria-label="Measured points"
      className="absolute"
      style={{ left: HEAD_PX, right: RIGHT_PX, top: TOP_PX, height: ROW_PX * model.methodIds.length }}
    >
      {model.cells.map((cell) => {
        const name = `${methodById(cell.point.methodId).label} at ${placeName(model.axis, cell.point.at)}: ${cell.told}`
        return (
          <button
            key={`${cell.row} ${cell.column}`}
            type="button"
            className="absolute rounded-[2px]"
            style={{
              left: `${(100 * cell.column) / model.places.length}%`,
              width: `${100 / model.places.length}%`,
              top: cell.row * ROW_PX,
              height: ROW_PX,
            }}
            tabIndex={cell.row === at?.row && cell.column === at?.column ? 0 : -1}
            aria-label={name}
            aria-pressed={cell.row === chosen?.row && cell.column === chosen?.column}
            title={`${name}. Click to hear it.`}
            onKeyDown={(event) => walk(event, cell)}
            onClick={() => onPick(cell)}
          />
        )
      })}
    </div>
  )
}
