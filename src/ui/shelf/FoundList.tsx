import { useVirtualizer } from '@tanstack/react-virtual'
import { ArrowDownUp, FolderOpen, LoaderCircle, Plus, Trash2 } from 'lucide-react'
import { memo, useEffect, useMemo, useRef, useState } from 'react'
import { acceptedEndings } from '../../host/sniff'
import { bpmText, SURE_FROM } from '../../session'
import { timeText } from '../common/formats'
import { Select } from '../fields/Select'
import { forgetFound, listFiles, nameOf, takeIn } from '../session/files/gather'
import { audition, fittedStretch, stopAudition } from '../session/hear/audition'
import { setOutlook } from '../session/state/outlook'
import { type FoundFile, useSession } from '../session/state/store'
import { FOUND_TYPE } from '../session/views'
import { type FoundOrder, filterFound, sortFound } from './foundOrder'

const KINDS = ['hits', 'single line', 'chords', 'dense mix', 'noise', 'unsure'] as const

/** Files of folders that were looked into: walked with the arrow keys, heard at once, taken in with Enter. */
export function FoundList() {
  const found = useSession((state) => state.found)
  const taken = useSession((state) => state.history.present.sources)
  const auditioned = useSession((state) => state.auditioned)
  const { fitted, start } = useSession((state) => state.outlook.audition)
  const bpm = useSession((state) => state.history.present.bpm)
  const [text, setText] = useState('')
  const [kind, setKind] = useState('')
  const [order, setOrder] = useState<FoundOrder>('name')
  const box = useRef<HTMLDivElement>(null)
  const toFocus = useRef<string>(undefined)
  const picker = useRef<HTMLInputElement>(null)
  const shown = useMemo(() => sortFound(filterFound(found, text, kind), order), [found, text, kind, order])
  const onShelf = useMemo(() => new Set(taken.flatMap(({ facts }) => (facts?.hash ? [facts.hash] : []))), [taken])
  const done = found.filter(({ status }) => status === 'known' || status === 'failed').length
  const at = shown.findIndex(({ id }) => id === auditioned)

  // of a long list only what is seen is drawn
  const list = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 8,
    getItemKey: (index) => shown[index]?.id ?? index,
  })
  const goTo = (index: number) => {
    toFocus.current = shown[index]?.id
    list.scrollToIndex(index)
  }
  // it may have to be drawn first
  useEffect(() => {
    const id = toFocus.current
    const row = id && box.current?.querySelector<HTMLElement>(`[data-found="${CSS.escape(id)}"]`)
    if (!row) return
    toFocus.current = undefined
    row.focus({ preventScroll: true })
  })

  const hear = (index: number) => {
    const file = shown[index]
    if (!file) return
    const near = [shown[index + 1], shown[index - 1], shown[index + 2]].flatMap((other) => (other ? [other.id] : []))
    void audition(file.id, near)
    goTo(index)
  }
  const press = (index: number, key: string): boolean => {
    const file = shown[index]
    if (!file) return false
    if (key === 'ArrowDown') hear(Math.min(shown.length - 1, index + 1))
    else if (key === 'ArrowUp') hear(Math.max(0, index - 1))
    else if (key === 'Home') hear(0)
    else if (key === 'End') hear(shown.length - 1)
    else if (key === 'Enter') void takeIn([file.id])
    else if (key === 'Escape') stopAudition()
    else if (key === 'Delete') {
      toFocus.current = (shown[index + 1] ?? shown[index - 1])?.id
      void forgetFound([file.id])
    } else return false
    return true
  }
  // rows are drawn anew only when what they show changes
  const latest = useRef({ hear, press })
  latest.current = { hear, press }
  const [act] = useState(() => ({
    hear: (index: number) => latest.current.hear(index),
    press: (index: number, key: string) => latest.current.press(index, key),
  }))
  const set = (part: Partial<{ fitted: boolean; start: typeof start }>) =>
    setOutlook((outlook) => ({ audition: { ...outlook.audition, ...part } }))

  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex flex-col gap-1.5 px-4 pb-2">
        <input
          type="text"
          aria-label="Filter by text"
          placeholder="Filter: name, 90-110, <5s"
          title="Parts of name or folder; 90-110 for a tempo, &lt;5s or &gt;2s for a length"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="w-full border-b border-edge bg-transparent py-0.5 outline-none focus:border-tide"
        />
        <div className="flex items-center justify-between gap-2 text-[12px]">
          <Select aria-label="Kind" value={kind} onChange={(event) => setKind(event.target.value)}>
            <option value="">every kind</option>
            {KINDS.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </Select>
          <span className="inline-flex items-center gap-1">
            <ArrowDownUp size={12} aria-hidden="true" className="text-faint" />
            <Select aria-label="Order" value={order} onChange={(event) => setOrder(event.target.value as FoundOrder)}>
              <option value="name">name</option>
              <option value="kind">kind</option>
              <option value="tempo">tempo</option>
              <option value="length">length</option>
            </Select>
          </span>
        </div>
        <div className="flex items-center justify-between text-[12px]">
          <label className="inline-flex items-center gap-1.5" title="Hear each at the session's tempo">
            <input type="checkbox" checked={fitted} onChange={(event) => set({ fitted: event.target.checked })} />
            at {bpmText(bpm)} BPM
          </label>
          <Select
            aria-label="Auditions start"
            value={start}
            onChange={(event) => set({ start: event.target.value as typeof start })}
          >
            <option value="now">at once</option>
            <option value="beat">on the beat</option>
            <option value="bar">on the bar</option>
          </Select>
        </div>
      </div>
      {done < found.length && (
        <div className="flex items-center gap-2 px-4 pb-1.5 text-[12px] text-soft" role="status">
          <progress aria-label="Files read" className="h-1.5 flex-1" max={found.length} value={done} />
          {done} of {found.length}
        </div>
      )}
      <div ref={box} className="min-h-0 flex-1 overflow-y-auto px-2 pb-2">
        <ul aria-label="Found files" className="relative" style={{ height: list.getTotalSize() }}>
          {list.getVirtualItems().map(({ key, index, start }) => {
            const file = shown[index] as FoundFile
            return (
              <Row
                key={key}
                file={file}
                index={index}
                of={shown.length}
                start={start}
                current={file.id === auditioned}
                onShelf={file.facts !== undefined && onShelf.has(file.facts.hash)}
                fittedTo={fitted ? fittedStretch(file.facts, bpm) : 1}
                tabbable={index === Math.max(0, at)}
                act={act}
              />
            )
          })}
        </ul>
        {found.length === 0 && (
          <div className="flex flex-col items-start gap-3 px-2.5 py-5 text-soft">
            <span>
              Drop a folder anywhere in this window, or open one: its sounds are listed here, heard with the arrow keys,
              and taken in with <span className="key">Enter</span>.
            </span>
            <button type="button" className="solid-button" onClick={() => picker.current?.click()}>
              <FolderOpen size={14} /> Open a folder
            </button>
          </div>
        )}
        {found.length > 0 && shown.length === 0 && (
          <div className="px-2.5 py-5 text-soft">Nothing listed fits the filter.</div>
        )}
      </div>
      {found.length > 0 && (
        <div className="flex shrink-0 items-center justify-between px-2 pb-1.5">
          <button type="button" className="plain-button" onClick={() => picker.current?.click()}>
            <FolderOpen size={14} /> Open a folder
          </button>
          <button
            type="button"
            className="plain-button"
            title="Empty the list; files on disk stay"
            onClick={() => {
              stopAudition()
              void forgetFound(found.map(({ id }) => id))
            }}
          >
            Clear
          </button>
        </div>
      )}
      <input
        ref={(element) => {
          picker.current = element
          element?.setAttribute('webkitdirectory', '')
        }}
        type="file"
        multiple
        className="hidden"
        aria-label="Folder of sounds"
        accept={acceptedEndings.map((ending) => `.${ending}`).join(',')}
        onChange={(event) => {
          const files = [...(event.target.files ?? [])]
          event.target.value = ''
          void listFiles(files.map((file) => ({ file, path: file.webkitRelativePath || file.name })))
        }}
      />
    </div>
  )
}

/** what a row takes, px */
const ROW_HEIGHT = 40

const Row = memo(function Row(props: {
  readonly file: FoundFile
  readonly index: number
  readonly of: number
  /** px from the top of the list */
  readonly start: number
  readonly current: boolean
  readonly onShelf: boolean
  readonly fittedTo: number
  readonly tabbable: boolean
  readonly act: { hear(index: number): void; press(index: number, key: string): boolean }
}) {
  const { file, index, of, start, current, onShelf, fittedTo, tabbable, act } = props
  const name = nameOf(file.path)
  return (
    <li
      className="group absolute inset-x-0"
      style={{ height: ROW_HEIGHT, transform: `translateY(${start}px)` }}
      aria-setsize={of}
      aria-posinset={index + 1}
    >
      <button
        type="button"
        data-found={file.id}
        aria-current={current}
        tabIndex={tabbable ? 0 : -1}
        title={file.error === undefined ? file.path : `${file.path}: ${file.error}`}
        className={`block w-full rounded-[4px] px-2.5 py-[4px] text-left ${current ? 'bg-ground shadow-[inset_3px_0_0_var(--lane-2)]' : 'hover:bg-ground/60'}`}
        draggable={file.status !== 'failed'}
        onDragStart={(event) => {
          event.dataTransfer.setData(FOUND_TYPE, file.id)
          event.dataTransfer.effectAllowed = 'copy'
        }}
        onClick={() => act.hear(index)}
        onKeyDown={(event) => {
          if (act.press(index, event.key)) {
            event.preventDefault()
            event.stopPropagation()
          }
        }}
      >
        <span className={`block truncate pr-1 ${current ? 'font-[620]' : 'text-soft'}`}>{name}</span>
        <span className="caption block truncate">
          <Facts file={file} onShelf={onShelf} fittedTo={fittedTo} />
        </span>
      </button>
      <span className="absolute top-1/2 right-1 hidden -translate-y-1/2 rounded-[4px] bg-deck group-focus-within:flex group-hover:flex">
        {file.status !== 'failed' && (
          <button
            type="button"
            className="plain-button !px-1.5"
            tabIndex={-1}
            aria-label={`Take in ${name}`}
            title="Take in (Enter)"
            onClick={() => void takeIn([file.id])}
          >
            <Plus size={13} />
          </button>
        )}
        <button
          type="button"
          className="plain-button !px-1.5"
          tabIndex={-1}
          aria-label={`Take ${name} off the list`}
          title="Off the list (Delete)"
          onClick={() => void forgetFound([file.id])}
        >
          <Trash2 size={13} />
        </button>
      </span>
    </li>
  )
})

function Facts({ file, onShelf, fittedTo }: { file: FoundFile; onShelf: boolean; fittedTo: number }) {
  if (file.status === 'failed') return <span className="text-trouble">{file.error}</span>
  if (file.sameAs !== undefined) return <>same as {nameOf(file.sameAs)}</>
  if (!file.facts) {
    return file.status === 'reading' ? (
      <span className="inline-flex items-center gap-1">
        <LoaderCircle size={10} className="animate-spin" aria-hidden="true" /> reading
      </span>
    ) : (
      <>listed</>
    )
  }
  const { facts } = file
  const { tempo, material } = facts.knowledge
  const words = [
    timeText(facts.frames / facts.sampleRate),
    material.kind === 'unsure' ? `${material.likely} ?` : material.kind,
    ...(tempo.bpm !== undefined && tempo.confidence >= SURE_FROM
      ? [`${bpmText(tempo.bpm)}${tempo.confidence < 0.8 ? ' ?' : ''}`]
      : []),
    ...(fittedTo !== 1 ? [`× ${fittedTo.toFixed(2)}`] : []),
  ]
  return (
    <>
      {onShelf && <b className="text-text">on the shelf · </b>}
      {words.join(' · ')}
    </>
  )
}
