import {
  AudioLines,
  Check,
  CirclePause,
  CirclePlay,
  Clock,
  Download,
  FileSpreadsheet,
  FolderInput,
  LoaderCircle,
  Package,
  RotateCcw,
  TriangleAlert,
  X,
} from 'lucide-react'
import { useMemo, useState } from 'react'
import { methodById } from '../../core'
import { type BatchFile, worstFirst } from '../../session'
import { IconButton } from '../common/IconButton'
import { saveFile } from '../common/saveFile'
import {
  madeOf,
  pauseBatch,
  putBatchAway,
  retryBatch,
  saveBatchAsZip,
  saveBatchToFolder,
  saveSummary,
  unsavedCount,
} from '../session/batch/batch'
import { takeToBench } from '../session/batch/toBench'
import { hasFolders } from '../session/exporting/places'
import { nameOf } from '../session/files/gather'
import { audition, auditionMade, isMadeHeard, stopAudition } from '../session/hear/audition'
import { type BatchState, useSession } from '../session/state/store'
import { aboutFile, COLUMNS, Head } from './batchColumns'
import { LongList } from './LongList'

/** A batch that runs, rests or is done: what became of each file, to be heard, saved, and mended. */
export function BatchRunning() {
  const batch = useSession((state) => state.batch) as BatchState
  const { files, making, run } = batch
  const [order, setOrder] = useState<'worst' | 'listed'>('worst')
  const [chosen, setChosen] = useState<string>()
  const shown = useMemo(() => (order === 'listed' ? files : inOrder(files)), [files, order])
  const ended = files.filter(({ row }) => row).length
  const failed = files.filter(({ row }) => row?.status === 'failed').length
  const doubtful = files.filter(({ row }) => row?.status === 'done' && row.doubts.length > 0).length
  const heard = files.filter(({ row }) => (row?.harm?.severity ?? 0) >= 1).length
  const waits = unsavedCount(batch)
  const isDone = ended === files.length
  return (
    <section aria-label="The batch" className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div className="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-2 border-b border-rule px-5 py-2">
        <p role="status" className="text-[12.5px] text-soft">
          {[
            isDone ? `all ${files.length} done` : `${ended} of ${files.length}${run.paused ? ', rests' : ''}`,
            failed > 0 ? `${failed} failed` : '',
            heard > 0 ? `harm is heard in ${heard}` : '',
            doubtful > 0 ? `${doubtful} in doubt` : '',
            waits > 0 ? `${waits} not saved yet` : '',
          ]
            .filter(Boolean)
            .join('  ·  ')}
        </p>
        {!isDone && (
          <progress aria-label="The batch" className="h-1.5 w-40" max={files.length} value={ended + share(making)} />
        )}
        {!isDone && (
          <button type="button" className="plain-button !h-7" onClick={() => pauseBatch(!run.paused)}>
            {run.paused ? <CirclePlay size={15} /> : <CirclePause size={15} />} {run.paused ? 'Go on' : 'Let it rest'}
          </button>
        )}
        {failed > 0 && (
          <button type="button" className="plain-button !h-7" onClick={retryBatch}>
            <RotateCcw size={14} /> Try the failed again
          </button>
        )}
        <button
          type="button"
          className="plain-button !h-7"
          onClick={() => setOrder(order === 'worst' ? 'listed' : 'worst')}
        >
          {order === 'worst' ? 'As they are listed' : 'Worst first'}
        </button>
        <span className="ml-auto flex flex-wrap items-center gap-1">
          {hasFolders() && waits > 0 && (
            <button type="button" className="plain-button !h-7" onClick={() => void saveBatchToFolder()}>
              <FolderInput size={15} /> Save to a folder
            </button>
          )}
          <button
            type="button"
            className="plain-button !h-7"
            disabled={ended === failed}
            onClick={() => void saveBatchAsZip()}
          >
            <Package size={15} /> One zip
          </button>
          <button type="button" className="plain-button !h-7" disabled={ended === 0} onClick={saveSummary}>
            <FileSpreadsheet size={15} /> Summary
          </button>
          <button
            type="button"
            className="plain-button !h-7"
            title="What was made and lies nowhere else goes; files that were saved stay"
            onClick={putBatchAway}
          >
            <X size={15} /> {waits > 0 ? `New batch, ${waits} unsaved go` : 'New batch'}
          </button>
        </span>
      </div>
      <Head last="What was done to it" />
      <LongList
        label="Files of the batch"
        items={shown}
        keyOf={({ id }) => id}
        rowHeight={46}
        chosen={chosen}
        onChoose={({ id }) => setChosen(id)}
        onKey={(file, event) => {
          if (event.key === ' ') hearMade(file)
          else if (event.key === 'Enter') void takeToBench(file)
          else if (event.key === 'Escape') stopAudition()
          else return
          event.preventDefault()
          event.stopPropagation()
        }}
      >
        {(file, isChosen) => <Line file={file} progress={making[file.id]} chosen={isChosen} />}
      </LongList>
    </section>
  )
}

const share = (making: BatchState['making']) => Object.values(making).reduce((sum, one) => sum + one, 0)

/** What is being made, and what is not yet, comes after what was. */
function inOrder(files: readonly BatchFile[]): readonly BatchFile[] {
  const done = files.flatMap((file) => (file.row ? [{ file, row: file.row }] : []))
  const others = files.filter(({ row }) => !row)
  return [...done.sort((a, b) => worstFirst(a.row, b.row)).map(({ file }) => file), ...others]
}

function hearMade({ id, output, row }: BatchFile) {
  if (row?.status === 'done') void auditionMade(id, nameOf(output), () => madeOf(id), row.peak ?? 1)
}

function Line(props: { readonly file: BatchFile; readonly progress: number | undefined; readonly chosen: boolean }) {
  const { file, progress, chosen } = props
  const { id, path, output, row, saved, stretch, semitones } = file
  const auditioned = useSession((state) => state.auditioned)
  const name = nameOf(path)
  const method = row?.method ?? file.method
  const harm = row?.harm
  const isKept = stretch === 1 && semitones === 0
  const isHeard = isMadeHeard(auditioned, id)
  return (
    <div className={`${COLUMNS} h-full px-5 text-[12.5px]`}>
      <Mark file={file} running={progress !== undefined} />
      <span className="min-w-0">
        <span className="block truncate text-[13px]" title={path}>
          {name}
        </span>
        <span className="caption block truncate" title={output}>
          {row?.status === 'done' ? `${nameOf(output)}${saved ? `  ·  ${saved}` : ''}` : aboutFile(path, undefined)}
        </span>
      </span>
      <span>{row?.bpm}</span>
      <span>{stretch.toFixed(3)} ×</span>
      <span>{semitones === 0 ? '' : `${semitones > 0 ? '+' : '−'}${Math.abs(semitones)} st`}</span>
      <span className="truncate">
        {method === undefined ? 'by trying all' : isKept ? 'kept as it is' : methodById(method).label}
      </span>
      <span className="flex min-w-0 items-center gap-1">
        <span className="min-w-0 flex-1">
          {progress !== undefined && !row ? (
            <progress aria-label={`${name}: progress`} className="h-1.5 w-full" max={1} value={progress} />
          ) : (
            <span
              className={`line-clamp-2 leading-[16px] ${row?.status === 'failed' ? 'text-trouble' : 'text-soft'}`}
              title={row?.error ?? harm?.verdict}
            >
              {row?.error ??
                ([
                  harm && ((harm.severity ?? 0) >= 1 ? `${harm.worst} ${harm.figure}` : 'no harm is heard'),
                  ...(row?.doubts ?? []),
                ]
                  .filter(Boolean)
                  .join('; ') ||
                  (row ? 'made' : 'waits'))}
            </span>
          )}
        </span>
        {row?.status === 'done' && (
          <span className={`flex shrink-0 ${chosen ? '' : 'opacity-60'}`}>
            <IconButton
              label={isHeard ? `Stop ${name}` : `Hear what was made of ${name}`}
              icon={isHeard ? <X size={14} /> : <CirclePlay size={14} />}
              onClick={() => (isHeard ? stopAudition() : hearMade(file))}
            />
            {chosen && (
              <>
                <IconButton
                  label={`Hear ${name} as it was`}
                  icon={<Clock size={14} className="-scale-x-100" />}
                  onClick={() => void audition(id)}
                />
                <IconButton
                  label={`Take ${name} to the Bench`}
                  icon={<AudioLines size={14} />}
                  onClick={() => void takeToBench(file)}
                />
                <IconButton
                  label={`Save what was made of ${name}`}
                  icon={<Download size={14} />}
                  onClick={() => void madeOf(id).then((blob) => blob && saveFile(blob, nameOf(output)))}
                />
              </>
            )}
          </span>
        )}
      </span>
    </div>
  )
}

function Mark({ file: { row }, running }: { readonly file: BatchFile; readonly running: boolean }) {
  if (row?.status === 'failed') return <TriangleAlert size={14} className="text-trouble" aria-label="failed" />
  if (row) {
    const bad = (row.harm?.severity ?? 0) >= 2
    return bad ? (
      <TriangleAlert size={14} className="text-soft" aria-label="done, harmed" />
    ) : (
      <Check size={14} className="text-tide" aria-label="done" />
    )
  }
  if (running) return <LoaderCircle size={14} className="animate-spin text-tide" aria-label="is being made" />
  return <Clock size={14} className="text-faint" aria-label="waits" />
}
