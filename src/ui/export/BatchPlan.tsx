import { Play } from 'lucide-react'
import { useMemo, useState } from 'react'
import { methodById, STRETCH_RANGE } from '../../core'
import { BPM_RANGE, bpmText, LEAST_TEMPO, type OwnWish, SEMITONE_RANGE } from '../../session'
import { NumberField } from '../fields/NumberField'
import { beginBatch } from '../session/batch/batch'
import { type Planned, plannedFiles } from '../session/batch/plans'
import { nameOf } from '../session/files/gather'
import { audition } from '../session/hear/audition'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { aboutFile, COLUMNS, Head } from './batchColumns'
import { LongList } from './LongList'
import { MethodSelect } from './MethodSelect'

/** What will be done to each listed file, and what is doubtful about it: each can be changed, or left out. */
export function BatchPlan() {
  const found = useSession((state) => state.found)
  const settings = useSession((state) => state.outlook.batch)
  const planned = useMemo(() => plannedFiles(found, settings), [found, settings])
  const [order, setOrder] = useState<'name' | 'doubt'>('name')
  const [chosen, setChosen] = useState<string>()
  const shown = useMemo(
    () => (order === 'name' ? planned : [...planned].sort((a, b) => doubtOf(b) - doubtOf(a))),
    [planned, order],
  )
  const inIt = planned.filter(({ own, plan }) => !own.left && plan)
  const reading = planned.filter(({ file }) => file.status === 'waiting' || file.status === 'reading').length
  const doubtful = inIt.filter(({ plan }) => (plan?.doubts.length ?? 0) > 0).length
  const left = planned.filter(({ own }) => own.left).length
  const stuck = planned.filter(({ trouble, own }) => trouble !== undefined && !own.left).length
  return (
    <section aria-label="What will be done" className="flex min-h-0 min-w-0 flex-col">
      <div className="flex shrink-0 items-center gap-4 border-b border-rule px-5 py-2">
        <p role="status" className="text-[12.5px] text-soft">
          {[
            `${inIt.length} of ${planned.length} ${planned.length === 1 ? 'file' : 'files'}`,
            doubtful > 0 ? `${doubtful} in doubt` : '',
            stuck > 0 ? `${stuck} cannot be made so` : '',
            left > 0 ? `${left} left out` : '',
            reading > 0 ? `${reading} still being read` : '',
          ]
            .filter(Boolean)
            .join('  ·  ')}
        </p>
        <button
          type="button"
          className="plain-button !h-6 text-[12.5px]"
          aria-pressed={order === 'doubt'}
          onClick={() => setOrder(order === 'name' ? 'doubt' : 'name')}
        >
          {order === 'name' ? 'Doubtful ones first' : 'As they are listed'}
        </button>
        <button
          type="button"
          className="solid-button ml-auto"
          disabled={inIt.length === 0}
          onClick={() => void beginBatch()}
        >
          <Play size={14} /> Make {inIt.length === 0 ? '' : inIt.length} {inIt.length === 1 ? 'file' : 'files'}
        </button>
      </div>
      <Head />
      {planned.length === 0 ? (
        <p className="px-5 py-4 text-soft">
          Nothing is listed yet. Drop a folder anywhere in this window, or open one under Found: each of its sounds
          becomes a line here, with what will be done to it.
        </p>
      ) : (
        <LongList
          label="Files of the batch"
          items={shown}
          keyOf={({ file }) => file.id}
          rowHeight={46}
          chosen={chosen}
          onChoose={({ file }) => setChosen(file.id)}
          onKey={({ file, own }, event) => {
            if (event.key === ' ') void audition(file.id)
            else if (event.key === 'Delete') setOwn(file.id, { ...own, left: !own.left })
            else return
            event.preventDefault()
            event.stopPropagation()
          }}
        >
          {(one, isChosen) => <Line planned={one} chosen={isChosen} />}
        </LongList>
      )}
    </section>
  )
}

/** below it a tempo is told with a question mark */
const SURE = 0.8

const doubtOf = ({ trouble, plan }: Planned) => (trouble !== undefined ? 100 : (plan?.doubts.length ?? 0))

function setOwn(id: string, own: OwnWish) {
  setOutlook(({ batch }) => {
    const { [id]: _, ...others } = batch.own
    const kept = JSON.parse(JSON.stringify(own)) as OwnWish
    if (!kept.left) delete kept.left
    return { batch: { ...batch, own: Object.keys(kept).length > 0 ? { ...others, [id]: kept } : others } }
  })
}

function Line({ planned, chosen }: { readonly planned: Planned; readonly chosen: boolean }) {
  const { file, own, plan, trouble, advised } = planned
  const { facts } = file
  const name = nameOf(file.path)
  const set = (next: OwnWish) => setOwn(file.id, { ...own, ...next })
  const isSure = (facts?.knowledge.tempo.confidence ?? 0) >= SURE
  const tempo = own.bpm ?? facts?.knowledge.tempo.bpm
  // a guess that is not worked from stays out of its field: there it could not be confirmed by typing it
  const isGuess = (facts?.knowledge.tempo.confidence ?? 0) < LEAST_TEMPO
  const typed = own.bpm ?? (isGuess ? undefined : tempo)
  const method = own.method ?? (advised ? 'by trying all' : plan?.methodId && methodById(plan.methodId).label)
  return (
    <div className={`${COLUMNS} h-full px-5 text-[12.5px] ${own.left ? 'opacity-50' : ''}`}>
      <input
        type="checkbox"
        aria-label={`${name} is made`}
        checked={!own.left}
        onChange={(event) => set({ left: !event.target.checked })}
      />
      <span className="min-w-0">
        <span className="block truncate text-[13px]" title={file.path}>
          {name}
        </span>
        <span className="caption block truncate">
          {facts || file.status === 'failed' ? aboutFile(file.path, facts) : file.status}
        </span>
      </span>
      <span>
        {facts && chosen ? (
          <NumberField
            label={`Tempo of ${name}`}
            width="3.6em"
            value={typed}
            digits={1}
            step={1}
            scale="log"
            {...BPM_RANGE}
            onChange={(bpm) => set({ bpm: Number(bpm.toFixed(3)) })}
            onReset={() => setOwn(file.id, without(own, 'bpm'))}
          />
        ) : (
          <Figure by={own.bpm !== undefined}>
            {tempo === undefined ? '' : `${bpmText(tempo)}${own.bpm === undefined && !isSure ? ' ?' : ''}`}
          </Figure>
        )}
      </span>
      <span>
        {facts && chosen ? (
          <NumberField
            label={`Stretch of ${name}`}
            width="3.9em"
            unit="×"
            value={plan?.stretch ?? own.stretch}
            digits={3}
            step={0.01}
            scale="log"
            {...STRETCH_RANGE}
            onChange={(stretch) => set({ stretch: Number(stretch.toFixed(6)) })}
            onReset={() => setOwn(file.id, without(own, 'stretch'))}
          />
        ) : (
          <Figure by={own.stretch !== undefined}>{plan && `${plan.stretch.toFixed(3)} ×`}</Figure>
        )}
      </span>
      <span>
        {facts && chosen ? (
          <NumberField
            label={`Pitch of ${name}`}
            width="3.4em"
            unit="st"
            signed
            value={plan?.semitones ?? own.semitones}
            digits={1}
            step={1}
            {...SEMITONE_RANGE}
            onChange={(semitones) => set({ semitones: Number(semitones.toFixed(4)) })}
            onReset={() => setOwn(file.id, without(own, 'semitones'))}
          />
        ) : (
          <Figure by={own.semitones !== undefined}>
            {plan && (plan.semitones === 0 ? '' : `${plan.semitones > 0 ? '+' : '−'}${Math.abs(plan.semitones)} st`)}
          </Figure>
        )}
      </span>
      <span className="min-w-0">
        {facts && chosen ? (
          <MethodSelect
            label={`Method of ${name}`}
            className="max-w-full"
            value={own.method ?? ''}
            none={`as all: ${advised ? 'by trying all' : plan?.methodId ? methodById(plan.methodId).label : 'kept'}`}
            onChange={(next) =>
              (next as string) === '' ? setOwn(file.id, without(own, 'method')) : set({ method: next })
            }
          />
        ) : (
          <Figure by={own.method !== undefined}>{plan && (methodWord(method) ?? 'kept as it is')}</Figure>
        )}
      </span>
      <span
        className={`line-clamp-2 leading-[16px] ${file.status === 'failed' ? 'text-trouble' : 'text-soft'}`}
        title={trouble ?? plan?.doubts.join('; ')}
      >
        {trouble ?? plan?.doubts.join('; ')}
      </span>
    </div>
  )
}

const without = (own: OwnWish, name: keyof OwnWish): OwnWish => ({ ...own, [name]: undefined })

const methodWord = (method: string | undefined) =>
  method === undefined || method === ''
    ? undefined
    : method === 'material'
      ? 'by the material'
      : method === 'advice'
        ? 'by trying all'
        : (findLabel(method) ?? method)
const findLabel = (id: string) => {
  try {
    return methodById(id).label
  } catch {
    return undefined
  }
}

/** A figure; one that was set by hand stands out. */
const Figure = ({ by, children }: { readonly by: boolean; readonly children: React.ReactNode }) => (
  <span className={`block truncate ${by ? 'font-[600] text-tide' : ''}`}>{children}</span>
)
