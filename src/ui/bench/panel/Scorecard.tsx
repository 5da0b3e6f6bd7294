import { ChartScatter, FileText } from 'lucide-react'
import { useMemo, useState } from 'react'
import {
  type Artefact,
  type ArtefactKind,
  figureOf,
  findingOf,
  foundFigureOf,
  gradeOfArtefact,
  harmOf,
  harmText,
  heardPlacesOf,
  methodById,
  methodText,
  type Trial,
  verdictOf,
} from '../../../core'
import { partFacts, type Source, timedFacts, type Variant } from '../../../session'
import { chartColours } from '../../common/chartColours'
import { EChart } from '../../common/EChart'
import { timeText } from '../../common/formats'
import { LaneBadge } from '../../common/LaneBadge'
import { Pop } from '../../common/Pop'
import { Progress } from '../../common/Progress'
import { comparedKinds, comparisonHeight, comparisonOption } from '../../report/charts'
import { cancelReport, reportId, writeReport } from '../../report/writeReport'
import { hearLane } from '../../session/hear/listening'
import { hearPlace } from '../../session/hear/places'
import { renderKeyOf } from '../../session/render/renders'
import { chosenVariant, useSession } from '../../session/state/store'
import { rangeOfPlace } from '../harm/marks'
import { columnsOf, type SortBy, sortRows } from '../harm/scores'

const SHORT: Partial<Record<ArtefactKind['id'], string>> = {
  'lost-attacks': 'Lost',
  'extra-attacks': 'Extra',
  'noise-colour': 'Noise',
  'formant-shift': 'Formants',
}

/** Variants against kinds of harm, in figures; every one opens what it means, where it is worst, and what helps. */
export function Scorecard({ source }: { source: Source }) {
  const trials = useSession((state) => state.trials)
  const chosen = useSession((state) => chosenVariant(state, source))
  const [sort, setSort] = useState<SortBy>('letter')
  const [charted, setCharted] = useState(false)
  const sampleRate = partFacts(source)?.sampleRate ?? 48_000
  const rows = source.variants.map((variant) => {
    const state = trials[variant.id]
    const fresh = state?.status === 'done' && state.key === renderKeyOf(source, variant)
    return { variantId: variant.id, variant, trial: fresh ? state.trial : undefined, state }
  })
  const columns = columnsOf(rows)
  const facts = timedFacts(source)
  const seconds = facts ? (facts.frames * source.target.stretch) / facts.sampleRate : 0
  const told = rows.find((row) => row.variantId === chosen?.id)
  if (rows.length === 0) return <p className="px-5 py-4 text-soft">No variant yet. Add one above the lanes.</p>
  return (
    <div className="flex max-h-[250px] flex-col px-4 py-2">
      <div className="min-h-0 overflow-auto" hidden={charted}>
        <table className="score w-full" aria-label="Scorecard">
          <thead>
            <tr>
              <SortHead id="letter" sort={sort} onSort={setSort} label="Variant" hint="in the order of the lanes" />
              <SortHead
                id="harm"
                sort={sort}
                onSort={setSort}
                label="Harm"
                unit="all"
                hint="all of it in one number, for order only"
              />
              {columns.map((kind) => (
                <SortHead
                  key={kind.id}
                  id={kind.id}
                  sort={sort}
                  onSort={setSort}
                  label={SHORT[kind.id] ?? kind.label}
                  unit={kind.unit === 'dB over −80 dB' ? 'dB' : kind.unit === 'clicks' ? 'count' : kind.unit}
                  hint={kind.sounds}
                />
              ))}
              <th scope="col" title="How long one core takes to make this result: less is better">
                Cost<span className="caption block font-normal">s</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {sortRows(rows, sort).map(({ variant, trial, state }) => (
              <tr key={variant.id} data-chosen={variant.id === chosen?.id}>
                <th scope="row">
                  <button
                    type="button"
                    className="flex items-center gap-2 whitespace-nowrap"
                    onClick={() => hearLane(1 + source.variants.indexOf(variant))}
                  >
                    <LaneBadge variant={variant} hollow={variant.id !== chosen?.id} />
                    {methodText(variant)}
                  </button>
                </th>
                {trial ? (
                  <>
                    <td>{harmText(trial.measurement)}</td>
                    {columns.map((kind) => {
                      const artefact = trial.measurement.artefacts.find(({ id }) => id === kind.id)
                      return (
                        <td key={kind.id}>
                          {artefact?.measured ? (
                            <Figure
                              artefact={artefact}
                              kind={kind}
                              source={source}
                              variant={variant}
                              sampleRate={sampleRate}
                            />
                          ) : (
                            <span
                              className="text-faint"
                              title={artefact?.short ? 'too short to tell' : 'nothing to measure it on'}
                            >
                              {artefact?.short ? '?' : '–'}
                            </span>
                          )}
                        </td>
                      )
                    })}
                  </>
                ) : (
                  <td colSpan={columns.length + 1} className="!text-left text-faint">
                    {state?.status === 'running'
                      ? `measuring ${Math.round(100 * state.progress)} %`
                      : state?.status === 'failed'
                        ? 'could not be measured; change a setting to try again'
                        : 'waiting'}
                  </td>
                )}
                <td className="text-soft">{costText(seconds, variant.methodId)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {charted && (
        <div className="min-h-0 overflow-y-auto">
          <ScoreChart rows={rows} />
        </div>
      )}
      <div className="mt-1.5 flex items-center gap-3">
        <p className="min-w-0 flex-1 truncate text-[12.5px] text-soft" role="status">
          {told?.trial ? (
            <>
              <b className="font-[640] text-text">{told.variant.letter}</b>{' '}
              <span title={verdictOf(told.trial.measurement, sampleRate)}>
                {verdictOf(told.trial.measurement, sampleRate)}
              </span>
            </>
          ) : (
            'A verdict in words follows as soon as the variant is measured.'
          )}
        </p>
        <button
          type="button"
          className="plain-button !h-6"
          aria-pressed={charted}
          title="All kinds of harm on one scale"
          onClick={() => setCharted(!charted)}
        >
          <ChartScatter size={14} /> Chart
        </button>
        <ReportButton source={source} />
      </div>
    </div>
  )
}

/** The comparison as a page of its own, with clips, to be sent to a colleague. */
function ReportButton({ source }: { source: Source }) {
  const running = useSession((state) => state.exports[reportId(source)])
  const some = useSession((state) => source.variants.some(({ id }) => state.trials[id]?.status === 'done'))
  if (running) {
    return (
      <Progress
        label="Report progress"
        value={running.progress}
        cancelLabel="Cancel the report"
        onCancel={() => cancelReport(source)}
      >
        {Math.round(100 * running.progress)} %
      </Progress>
    )
  }
  return (
    <button
      type="button"
      className="plain-button !h-6 !text-tide"
      disabled={!some}
      title="Figures, charts, short clips and recipes as one page that opens anywhere"
      onClick={() => void writeReport(source)}
    >
      <FileText size={14} /> Report
    </button>
  )
}

/** Every kind of harm on one scale, a mark for each variant. */
function ScoreChart({ rows }: { rows: readonly { readonly variant: Variant; readonly trial: Trial | undefined }[] }) {
  const theme = useSession((state) => state.outlook.theme)
  const compared = rows.flatMap(({ variant: { letter, methodId, joins }, trial }) =>
    trial ? [{ letter, methodId, joins, measurement: trial.measurement }] : [],
  )
  const told = JSON.stringify(compared.map(({ letter, measurement }) => [letter, harmOf(measurement)]))
  // biome-ignore lint/correctness/useExhaustiveDependencies: `told` stands for what was compared
  const option = useMemo(() => comparisonOption(compared, chartColours(theme)), [told, theme])
  if (compared.length === 0)
    return <p className="py-3 text-soft">Nothing is measured yet: each variant gets its mark as soon as it is.</p>
  return (
    <div style={{ height: comparisonHeight(comparedKinds(compared).length) }}>
      <EChart
        option={option}
        className="h-full"
        label="Every kind of harm by severity, a mark for each variant: the figures are in the table"
      />
    </div>
  )
}

function SortHead(props: {
  id: SortBy
  sort: SortBy
  onSort: (sort: SortBy) => void
  label: string
  unit?: string
  hint: string
}) {
  const { id, sort, onSort, label, unit, hint } = props
  return (
    <th scope="col" aria-sort={sort === id ? (id === 'letter' ? 'ascending' : 'descending') : 'none'}>
      <button
        type="button"
        title={`${hint}. Sort by it${id === 'letter' ? '' : ', worst first'}`}
        className={sort === id ? 'text-text' : 'text-soft'}
        onClick={() => onSort(sort === id && id !== 'letter' ? 'letter' : id)}
      >
        {label}
        {unit && <span className="caption block font-normal">{unit}</span>}
      </button>
    </th>
  )
}

/** How long a result takes, s. */
function costText(resultSeconds: number, methodId: string): string {
  const cost = resultSeconds / methodById(methodId).timesRealTime
  return cost < 0.095 ? '< 0.1' : cost.toFixed(cost < 10 ? 1 : 0)
}

const GRADE_MARK = { 'not audible': 0, slight: 1, clear: 2, severe: 3 } as const

/** A figure with its grade as bars, so that it is read without colour; it opens what there is to know of it. */
function Figure(props: {
  artefact: Artefact
  kind: ArtefactKind
  source: Source
  variant: Variant
  sampleRate: number
}) {
  const { artefact, kind, source, variant, sampleRate } = props
  const grade = gradeOfArtefact(artefact)
  const finding = findingOf(artefact)
  const figure = `${figureOf(artefact)}${finding?.local ? `, ${foundFigureOf(finding)}` : ''}`
  const worst = heardPlacesOf(artefact).sort((a, b) => b.value - a.value)[0]
  const digits = artefact.value >= 10 || kind.unit === 'per 100' || kind.unit === 'clicks' ? 0 : 1
  return (
    <Pop
      label={`${kind.label} of variant ${variant.letter}: ${figure}, ${grade}`}
      width={330}
      trigger={
        <span className="flex items-center justify-end gap-1" data-grade={grade}>
          {artefact.value.toFixed(digits)}
          <span className="grade" data-grade={GRADE_MARK[grade]} aria-hidden="true">
            <i />
            <i />
            <i />
          </span>
        </span>
      }
    >
      <p className="wide text-[15px]">
        {kind.label}: {figure}
      </p>
      <p className="mt-0.5 text-soft">
        <b className="text-text">{grade}</b> · audible from {kind.audibleFrom}, clear from {kind.clearFrom}, severe from{' '}
        {kind.severeFrom} {kind.unit}
      </p>
      <p className="mt-2">{kind.sounds}</p>
      <p className="mt-1 text-soft">Helps: {kind.helps}</p>
      <p className="caption mt-2">{kind.threshold}</p>
      {Object.keys(artefact.parts).length > 0 && (
        <dl className="mt-2 grid grid-cols-[auto_1fr] gap-x-3 text-[12px]">
          {Object.entries(artefact.parts).map(([name, value]) => (
            <div key={name} className="contents">
              <dt className="text-soft">{partText(name)}</dt>
              <dd>{Number(value.toFixed(2))}</dd>
            </div>
          ))}
        </dl>
      )}
      {worst && (
        <button
          type="button"
          className="plain-button mt-2 -ml-2 !text-tide"
          onClick={() => hearPlace(source, variant, rangeOfPlace(worst))}
        >
          Hear it at {timeText(worst.sourceFrame / sampleRate)}, lane by lane
        </button>
      )}
    </Pop>
  )
}

/** lostCount → lost, count; beforeDb → before, dB */
function partText(name: string): string {
  const words = name
    .replace(/([A-Z])/g, ' $1')
    .toLowerCase()
    .split(' ')
  const unit = words.pop()
  return `${words.join(' ')}, ${unit === 'db' ? 'dB' : unit === 'lu' ? 'LU' : unit}`
}
