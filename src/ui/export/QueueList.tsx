import { ArrowDown, ArrowUp, Check, Clock, Download, LoaderCircle, RotateCcw, TriangleAlert, X } from 'lucide-react'
import { type DragEvent, useEffect, useMemo } from 'react'
import { errorText } from '../../host/errorText'
import { rateText, sizeText, timeText } from '../common/formats'
import { IconButton } from '../common/IconButton'
import { cancelQueued, clearQueue, mimeOf, moveQueued, retryQueued, saveAgain } from '../session/exporting/queue'
import { type QueuedFile, useSession } from '../session/state/store'

/** Files that are to be made and that are, in their order. */
export function QueueList() {
  const queue = useSession((state) => state.queue)
  const ended = queue.filter(({ status }) => status !== 'waiting' && status !== 'running').length
  const left = queue.length - ended
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex h-9 shrink-0 items-center px-5">
        <h3 className="caption">Queue</h3>
        <span role="status" className="ml-3 text-[12.5px] text-soft">
          {queue.length === 0 ? '' : left === 0 ? 'all done' : `${left} to go`}
        </span>
        <button
          type="button"
          className="plain-button ml-auto !h-6 text-[12.5px]"
          disabled={ended === 0}
          title="Take what is done off the list; the files stay where they are"
          onClick={clearQueue}
        >
          Clear what is done
        </button>
      </div>
      {queue.length === 0 ? (
        <p className="px-5 text-[12.5px] text-soft">
          What is exported appears here: it can be dragged from here to the desktop or into another program.
        </p>
      ) : (
        <ul aria-label="Queue" className="min-h-0 flex-1 overflow-y-auto px-5 pb-4">
          {queue.map((file) => (
            <Line key={file.id} file={file} />
          ))}
        </ul>
      )}
    </div>
  )
}

function Line({ file }: { readonly file: QueuedFile }) {
  const { id, name, status, progress, made, error } = file
  const url = useMemo(() => made && URL.createObjectURL(made.blob), [made])
  useEffect(
    () => () => {
      if (url) URL.revokeObjectURL(url)
    },
    [url],
  )
  const drag = (event: DragEvent) => {
    if (!url) return
    event.dataTransfer.effectAllowed = 'copy'
    event.dataTransfer.setData('DownloadURL', `${mimeOf(file)}:${name}:${url}`)
    event.dataTransfer.setData('text/uri-list', url)
  }
  return (
    <li
      aria-label={`${name}: ${status}`}
      draggable={url !== undefined}
      onDragStart={drag}
      className={`grid grid-cols-[18px_1fr_auto] items-center gap-x-2 border-t border-rule py-1.5 first:border-t-0 ${url ? 'cursor-grab' : ''}`}
    >
      <Mark status={status} doubtful={(made?.doubts.length ?? 0) > 0} />
      <span className="truncate" title={name}>
        {name}
      </span>
      <span className="flex items-center">
        {status === 'waiting' && (
          <>
            <IconButton label={`${name}: sooner`} onClick={() => moveQueued(id, -1)} icon={<ArrowUp size={13} />} />
            <IconButton label={`${name}: later`} onClick={() => moveQueued(id, 1)} icon={<ArrowDown size={13} />} />
          </>
        )}
        {(status === 'waiting' || status === 'running') && (
          <IconButton label={`Cancel ${name}`} onClick={() => cancelQueued(id)} icon={<X size={13} />} />
        )}
        {(status === 'failed' || status === 'cancelled') && (
          <IconButton label={`Try ${name} again`} onClick={() => retryQueued(id)} icon={<RotateCcw size={13} />} />
        )}
        {status === 'done' && (
          <IconButton label={`Save ${name} again`} onClick={() => void saveAgain(file)} icon={<Download size={13} />} />
        )}
      </span>
      <span className="col-start-2 col-end-4 text-[12.5px] text-soft">
        {status === 'running' && (
          <progress aria-label={`${name}: progress`} className="h-1.5 w-full" max={1} value={progress} />
        )}
        {status === 'waiting' && 'waits'}
        {status === 'cancelled' && 'not made'}
        {status === 'failed' && (
          <span role="alert" className="text-trouble">
            {errorText(error)}
          </span>
        )}
        {made && <Facts file={file} />}
      </span>
    </li>
  )
}

const signed = (value: number) => value.toFixed(1).replace('-', '−')

function Facts({ file: { made } }: { readonly file: QueuedFile }) {
  if (!made) return null
  const { seconds, rate, blob, level, doubts, place } = made
  return (
    <>
      <span>
        {[
          timeText(seconds),
          rateText(rate),
          sizeText(blob.size),
          level && Number.isFinite(level.lufs) ? `${signed(level.lufs)} LUFS` : undefined,
          level && Number.isFinite(level.peakDb) ? `peak ${signed(level.peakDb)} dBTP` : undefined,
          place === 'downloads' ? undefined : place,
        ]
          .filter(Boolean)
          .join('  ·  ')}
      </span>
      {doubts.map((doubt) => (
        <span key={doubt} className="block text-trouble">
          {doubt}
        </span>
      ))}
    </>
  )
}

function Mark({ status, doubtful }: { readonly status: QueuedFile['status']; readonly doubtful: boolean }) {
  if (status === 'failed' || doubtful) return <TriangleAlert size={14} className="text-trouble" aria-hidden="true" />
  if (status === 'done') return <Check size={14} className="text-tide" aria-hidden="true" />
  if (status === 'running') return <LoaderCircle size={14} className="animate-spin text-tide" aria-hidden="true" />
  return <Clock size={14} className="text-faint" aria-hidden="true" />
}
