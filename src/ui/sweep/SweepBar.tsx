import { FileSpreadsheet, Image, Play } from 'lucide-react'
import { artefactKinds, fileBase, sweepCsv, sweepData } from '../../core'
import type { Outlook, Source } from '../../session'
import { chartColours } from '../common/chartColours'
import { chartPng } from '../common/EChart'
import { Progress } from '../common/Progress'
import { saveFile } from '../common/saveFile'
import { Select } from '../fields/Select'
import { setOutlook } from '../session/state/outlook'
import { type SweepState, useSession } from '../session/state/store'
import { startSweep, stopSweep } from '../session/try/sweeps'
import { chartHeight, sweepOption } from './chart'
import type { SweepModel } from './model'

const AXES: readonly { readonly id: Outlook['sweep']['axis']; readonly label: string; readonly title: string }[] = [
  { id: 'length', label: '0.25 – 16 ×', title: 'Length from a quarter to sixteen times, at the source’s pitch' },
  { id: 'far', label: '16 – 200 ×', title: 'Far stretches' },
  { id: 'pitch', label: '±24 st', title: 'Pitch from two octaves down to two up, at the source’s length' },
]

const PICTURE = { width: 1180, curvesPx: 260, namesPx: 130 }

/** What is swept, which harm is shown, how far it is, and the ways out. */
export function SweepBar({
  source,
  sweep,
  model,
  ready,
}: {
  readonly source: Source
  readonly sweep: SweepState | undefined
  readonly model: SweepModel
  readonly ready: boolean
}) {
  const { axis, methodIds, shown } = useSession((state) => state.outlook.sweep)
  const theme = useSession((state) => state.outlook.theme)
  const set = (part: Partial<Outlook['sweep']>) => setOutlook((outlook) => ({ sweep: { ...outlook.sweep, ...part } }))
  const running = sweep?.running
  const points = (sweep?.points ?? []).filter((point) => methodIds.includes(point.methodId))
  const here = points.filter((point) => point.axis === axis).length
  const total = model.places.length * methodIds.length
  const name = `${fileBase(source.name)}_sweep-${axis}`
  const rate = source.facts?.sampleRate ?? 48_000

  const savePicture = async () => {
    const rows = model.methodIds.filter((id) => methodIds.includes(id))
    const colours = chartColours(theme)
    const kept = {
      ...model,
      methodIds: rows,
      breaks: model.breaks.filter((_, row) => methodIds.includes(model.methodIds[row] as string)),
      cells: model.cells.map((cell) => ({ ...cell, row: rows.indexOf(cell.point.methodId) })),
    }
    const option = sweepOption(kept, colours, { left: PICTURE.namesPx, named: true })
    const height = chartHeight(rows.length, PICTURE.curvesPx)
    saveFile(await chartPng(option, PICTURE.width, height, colours.well), `${name}.png`)
  }

  return (
    <div className="flex h-[46px] shrink-0 items-center gap-4 border-b border-rule px-5 whitespace-nowrap">
      <div role="group" aria-label="Axis" className="flex">
        {AXES.map(({ id, label, title }) => (
          <button
            key={id}
            type="button"
            className="plain-button"
            aria-pressed={axis === id}
            title={title}
            onClick={() => set({ axis: id })}
          >
            {label}
          </button>
        ))}
      </div>
      <span className="flex items-center gap-2">
        <span className="caption">Harm</span>
        <Select
          aria-label="Harm shown"
          value={shown}
          onChange={(event) => set({ shown: event.target.value as typeof shown })}
        >
          <option value="worst">the worst of each</option>
          {artefactKinds.map(({ id, label }) => (
            <option key={id} value={id}>
              {label}
            </option>
          ))}
        </Select>
      </span>
      {running ? (
        <span className="flex items-center gap-2" role="status">
          <Progress
            label="Sweep progress"
            value={running.done}
            max={running.total}
            cancelLabel="Cancel the sweep"
            onCancel={stopSweep}
          >
            {running.done} of {running.total}
          </Progress>
        </span>
      ) : (
        <>
          <button
            type="button"
            className="solid-button"
            disabled={!ready || methodIds.length === 0 || here === total}
            onClick={() => void startSweep(source)}
          >
            <Play size={14} /> {here === 0 ? 'Measure' : here < total ? 'Measure the rest' : 'Measured'}
          </button>
          <span className="caption" role="status">
            {methodIds.length === 0
              ? 'choose a method at the left'
              : here > 0 && here < total
                ? `${here} of ${total} points`
                : here === total
                  ? `${total} points`
                  : ''}
          </span>
        </>
      )}
      <span className="ml-auto flex">
        <button
          type="button"
          className="plain-button"
          disabled={here === 0}
          title="All figures as a table"
          onClick={() => saveFile(new Blob([sweepCsv(axis, points)], { type: 'text/csv' }), `${name}.csv`)}
        >
          <FileSpreadsheet size={14} /> CSV
        </button>
        <button
          type="button"
          className="plain-button"
          disabled={here === 0}
          title="All figures, and where each method breaks, as data"
          onClick={() =>
            saveFile(
              new Blob([JSON.stringify(sweepData(source.name, axis, points, rate), null, 2)], {
                type: 'application/json',
              }),
              `${name}.json`,
            )
          }
        >
          JSON
        </button>
        <button
          type="button"
          className="plain-button"
          disabled={here === 0}
          title="The chart as a picture"
          onClick={() => void savePicture()}
        >
          <Image size={14} /> PNG
        </button>
      </span>
    </div>
  )
}
