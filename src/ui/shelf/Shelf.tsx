import { LoaderCircle, Pencil, Plus, Trash2 } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { acceptedEndings } from '../../host/sniff'
import { bpmText, kindOf, kinOf, leadOf, partFacts, type Source, soundKey, tempoOf } from '../../session'
import { channelText, timeText } from '../common/formats'
import { Guarded } from '../common/Guarded'
import { Notices } from '../common/Notices'
import { removeSource, selectSource, walkTo } from '../session/acts'
import { rename } from '../session/edits'
import { dropArrival, tryArrival } from '../session/files/arrivals'
import { listFiles } from '../session/files/gather'
import { takeLaunched } from '../session/files/launched'
import { keepOffline } from '../session/keep/offline'
import { offerSession } from '../session/keep/sessionFile'
import { knowledgeOf } from '../session/know/knowledge'
import { bringAll } from '../session/play/notesFiles'
import { tryRecipeText } from '../session/recipes'
import { start } from '../session/session'
import { setOutlook } from '../session/state/outlook'
import { type Arrival, selectedSource, store, useSession } from '../session/state/store'
import { SOURCE_TYPE } from '../session/views'
import { droppedFiles } from './droppedFiles'
import { FoundList } from './FoundList'
import { KeyList } from './KeyList'
import { OfferedKin } from './OfferedKin'
import { OfferedSession } from './OfferedSession'
import { RecordButton } from './RecordButton'
import { SessionBlock } from './SessionBlock'
import { SessionMenu } from './SessionMenu'

const ACCEPT = [
  'audio/*',
  'video/*',
  ...acceptedEndings.map((ending) => `.${ending}`),
  '.mid',
  '.midi',
  '.zumbet',
  '.json',
].join(',')

/** The list of sources: pick, bring in, rename, remove. Files may be dropped anywhere in the window. */
export function Shelf() {
  useEffect(() => {
    void start().then(() => {
      takeLaunched()
      keepOffline()
    })
  }, [])
  return (
    <Guarded name="The shelf">
      <ShelfParts />
    </Guarded>
  )
}

function ShelfParts() {
  const ready = useSession((state) => state.ready)
  const sources = useSession((state) => state.history.present.sources)
  const selectedId = useSession((state) => state.outlook.selectedId)
  const arrivals = useSession((state) => state.arrivals)
  const picker = useRef<HTMLInputElement>(null)
  const list = useRef<HTMLUListElement>(null)
  const dropping = useFileDrop(receive)
  const shown = useSession((state) => state.outlook.list)
  const foundCount = useSession((state) => state.found.length)
  const [chosen, setChosen] = useState<readonly string[]>([])
  const all = selectedId === undefined || chosen.includes(selectedId) ? chosen : [...chosen, selectedId]

  function onKey(index: number, key: string) {
    const source = sources[index]
    if (key === 'ArrowDown' || key === 'ArrowUp') {
      const next = sources[index + (key === 'ArrowDown' ? 1 : -1)]
      if (!next) return false
      walkTo(next.id)
      list.current?.querySelector<HTMLElement>(`[data-source="${CSS.escape(next.id)}"]`)?.focus()
    } else if (key === 'Delete' && source) removeSource(source.id)
    else return false
    return true
  }

  return (
    <aside aria-label="Shelf" className="flex min-h-0 flex-col border-r border-rule bg-deck [grid-area:shelf]">
      <header className="flex h-[58px] shrink-0 items-center gap-2.5 pr-2 pl-4">
        <svg width="26" height="18" viewBox="0 0 26 18" aria-hidden="true">
          <path d="M0 1h11v5H0zM14 1h5v5h-5zM0 12h17v5H0zM20 12h6v5h-6z" fill="currentColor" />
        </svg>
        <h1 className="wide text-[17px]">Zumbet</h1>
        <RecordButton />
        <button
          type="button"
          className="plain-button !h-6 !px-2"
          aria-label="Bring in"
          title="Bring sound files onto the shelf"
          onClick={() => picker.current?.click()}
        >
          <Plus size={14} /> <span className="roomy-only">Bring in</span>
        </button>
      </header>
      <div className="flex items-center gap-0.5 px-2 pb-1.5">
        <div role="tablist" aria-label="Lists" className="flex">
          {(
            [
              ['shelf', 'Shelf', ready ? sources.length : undefined],
              ['found', 'Found', foundCount || undefined],
            ] as const
          ).map(([list, word, count]) => (
            <button
              key={list}
              type="button"
              role="tab"
              aria-selected={shown === list}
              className={`plain-button !h-6 !px-2 ${shown === list ? '!text-text shadow-[inset_0_-2px_0_var(--tide)]' : ''}`}
              onClick={() => setOutlook({ list })}
            >
              {word}
              {count !== undefined && <span className="caption">{count}</span>}
            </button>
          ))}
        </div>
        <span className="ml-auto">
          <SessionMenu />
        </span>
        <input
          ref={picker}
          type="file"
          multiple
          accept={ACCEPT}
          className="hidden"
          aria-label="Sound files"
          onChange={(event) => {
            const files = [...(event.target.files ?? [])]
            const [first] = files
            if (first && files.length === 1 && isSessionFile(first)) void offerSession(first)
            else if (first && files.length === 1 && isRecipe(first)) void tryDropped(first, null)
            else void bringAll(files)
            event.target.value = ''
          }}
        />
      </div>
      <OfferedSession />
      <OfferedKin />
      {shown === 'found' && <FoundList />}
      <ul
        ref={list}
        className="min-h-0 flex-1 overflow-y-auto px-2 pb-2"
        aria-label="Sources"
        hidden={shown === 'found'}
      >
        {sources.map((source, index) => (
          <SourceRow
            key={source.id}
            source={source}
            selected={source.id === selectedId}
            chosen={all.length > 1 && all.includes(source.id)}
            onChoose={() =>
              setChosen(all.includes(source.id) ? all.filter((id) => id !== source.id) : [...all, source.id])
            }
            onSelect={() => {
              setChosen([])
              selectSource(source.id)
            }}
            onKey={(key) => onKey(index, key)}
          />
        ))}
        {arrivals.map((arrival) => (
          <ArrivalRow key={arrival.id} arrival={arrival} />
        ))}
        {ready && sources.length === 0 && arrivals.length === 0 && (
          <li className="px-2.5 py-6 text-soft">
            The shelf is empty. Drop sound files anywhere in this window, or use <b>Bring in</b>.
          </li>
        )}
      </ul>
      <Notices />
      <SessionBlock chosen={all} />
      <KeyList />
      {dropping && (
        <div className="pointer-events-none fixed inset-0 z-40 grid place-items-center bg-[color-mix(in_srgb,var(--ground)_82%,transparent)]">
          <p className="wide border-y-2 border-tide px-10 py-6 text-[22px]">
            Let go: files come onto the shelf, folders are listed
          </p>
        </div>
      )}
    </aside>
  )
}

function ArrivalRow({ arrival: { id, file, status } }: { arrival: Arrival }) {
  if (status !== 'stuck')
    return (
      <li className="flex items-center gap-2 px-2.5 py-1.5 text-faint">
        <LoaderCircle size={13} className={status === 'reading' ? 'animate-spin' : ''} aria-hidden="true" />
        <span className="truncate">
          {status === 'reading' ? 'Reading' : 'Waiting:'} {file}
        </span>
      </li>
    )
  return (
    <li className="px-2.5 py-1.5">
      <span className="block truncate text-soft">{file}</span>
      <span className="caption block text-trouble">the page ended twice while it was read</span>
      <span className="-ml-2 flex">
        <button type="button" className="plain-button !h-6 !text-tide" onClick={() => void tryArrival(id)}>
          Try again
        </button>
        <button type="button" className="plain-button !h-6" onClick={() => void dropArrival(id)}>
          Let it go
        </button>
      </span>
    </li>
  )
}

function SourceRow({
  source,
  selected,
  chosen,
  onChoose,
  onSelect,
  onKey,
}: {
  source: Source
  selected: boolean
  /** one of several that are chosen together */
  chosen: boolean
  onChoose: () => void
  onSelect: () => void
  onKey: (key: string) => boolean
}) {
  const [naming, setNaming] = useState(false)
  const failed = useSession((state) => state.loads[soundKey(source)]?.status === 'failed')
  const { facts } = source

  if (naming) {
    return (
      <li className="px-1 py-1">
        <input
          // biome-ignore lint/a11y/noAutofocus: the field opens because its name was asked for
          autoFocus
          aria-label={`New name for ${source.name}`}
          defaultValue={source.name}
          className="w-full rounded-[3px] border border-tide bg-well px-1.5 py-1 outline-none"
          onFocus={(event) => event.target.select()}
          onBlur={(event) => {
            rename(source.id, event.target.value)
            setNaming(false)
          }}
          onKeyDown={(event) => {
            if (event.key === 'Enter') event.currentTarget.blur()
            if (event.key === 'Escape') {
              event.currentTarget.value = source.name
              event.currentTarget.blur()
            }
          }}
        />
      </li>
    )
  }
  return (
    <li className="group relative">
      <button
        type="button"
        data-source={source.id}
        aria-current={selected}
        className={`block w-full rounded-[4px] px-2.5 py-[5px] text-left ${selected ? 'bg-ground shadow-[inset_3px_0_0_var(--tide)]' : chosen ? 'bg-ground/70 shadow-[inset_3px_0_0_var(--edge)]' : 'hover:bg-ground/60'}`}
        aria-pressed={chosen}
        draggable
        onDragStart={(event) => {
          event.dataTransfer.setData(SOURCE_TYPE, source.id)
          event.dataTransfer.effectAllowed = 'copy'
        }}
        onClick={(event) => (event.ctrlKey || event.metaKey || event.shiftKey ? onChoose() : onSelect())}
        onDoubleClick={() => setNaming(true)}
        onKeyDown={(event) => {
          if (event.key === ' ' && event.ctrlKey) {
            event.preventDefault()
            event.stopPropagation()
            onChoose()
          } else if (event.key === 'F2') setNaming(true)
          else if (onKey(event.key)) event.preventDefault()
        }}
      >
        <span className={`block truncate pr-1 ${selected ? 'font-[620]' : 'text-soft'}`}>{source.name}</span>
        <span className="caption block truncate">
          {failed ? (
            <span className="text-trouble">cannot be read</span>
          ) : facts ? (
            <SourceFacts source={source} />
          ) : (
            'not read yet'
          )}
        </span>
      </button>
      <span className="absolute top-1/2 right-1 hidden -translate-y-1/2 rounded-[4px] bg-deck group-focus-within:flex group-hover:flex">
        <button
          type="button"
          className="plain-button !px-1.5"
          aria-label={`Rename ${source.name}`}
          title="Rename (F2)"
          onClick={() => setNaming(true)}
        >
          <Pencil size={13} />
        </button>
        <button
          type="button"
          className="plain-button !px-1.5"
          aria-label={`Remove ${source.name}`}
          title="Remove (Delete)"
          onClick={() => removeSource(source.id)}
        >
          <Trash2 size={13} />
        </button>
      </span>
    </li>
  )
}

/** Length, and what it is: what one chooses by. */
function SourceFacts({ source }: { source: Source }) {
  const found = useSession((state) => knowledgeOf(state, source))
  const kin = useSession((state) => kinText(state.history.present.sources, source))
  const facts = partFacts(source)
  if (!facts) return null
  const { bpm } = tempoOf(source, found)
  const { kind } = kindOf(source, found)
  return (
    <>
      {[
        timeText(facts.frames / facts.sampleRate),
        channelText(facts.channels),
        ...(facts.picture ? ['film'] : []),
        ...(kind && kind !== 'unsure' ? [kind] : []),
        ...(bpm === undefined ? [] : [bpmText(bpm)]),
        ...(source.follows.tempo ? ['follows'] : []),
        ...(kin ? [kin] : []),
      ].join(' · ')}
    </>
  )
}

function kinText(sources: readonly Source[], source: Source): string | undefined {
  const kin = kinOf(sources, source)
  if (kin.length < 2) return undefined
  const lead = leadOf(sources, source)
  return lead === source ? `leads ${kin.length - 1} kin` : `kin of ${lead.name}`
}

const isRecipe = (file: File) => file.name.toLowerCase().endsWith('.json')
const isSessionFile = (file: File) => file.name.toLowerCase().endsWith('.zumbet')

/** so many single files are a collection to look through, not sources to work on */
const MANY_FILES = 12

/** Try a recipe on the source that it is dropped on; dropped elsewhere it is meant for the one that is worked on. */
async function tryDropped(file: File, place: Element | null) {
  const state = store.getState()
  const id = place?.closest('[data-source]')?.getAttribute('data-source')
  const source = state.history.present.sources.find((one) => one.id === id) ?? selectedSource(state)
  if (source) tryRecipeText(source, await file.text(), file.name)
}

/** Single files come onto the shelf; folders, and more files than anyone works on at once, are listed. */
async function receive(items: DataTransfer, place: Element | null) {
  const dropped = await droppedFiles(items)
  const recipe = dropped.files.find(({ file }) => isRecipe(file))
  if (recipe && dropped.files.length === 1) {
    await tryDropped(recipe.file, place)
    return
  }
  const session = dropped.files.find(({ file }) => isSessionFile(file))
  if (session && dropped.files.length === 1) {
    await offerSession(session.file)
    return
  }
  if (dropped.folders || dropped.files.length > MANY_FILES) await listFiles(dropped.files)
  else await bringAll(dropped.files.map(({ file }) => file))
}

/** Files dropped anywhere in the window; true while some are held over it. */
function useFileDrop(onDrop: (items: DataTransfer, place: Element | null) => void): boolean {
  const [over, setOver] = useState(false)
  useEffect(() => {
    let depth = 0
    const carriesFiles = (event: globalThis.DragEvent) => event.dataTransfer?.types.includes('Files') ?? false
    const listeners: Record<string, (event: globalThis.DragEvent) => void> = {
      dragenter: (event) => {
        if (!carriesFiles(event)) return
        event.preventDefault()
        depth++
        setOver(true)
      },
      dragover: (event) => {
        if (!carriesFiles(event)) return
        event.preventDefault()
        if (event.dataTransfer) event.dataTransfer.dropEffect = 'copy'
      },
      dragleave: (event) => {
        if (!carriesFiles(event)) return
        depth = Math.max(0, depth - 1)
        if (depth === 0) setOver(false)
      },
      drop: (event) => {
        if (!carriesFiles(event)) return
        event.preventDefault()
        depth = 0
        setOver(false)
        if (event.dataTransfer) onDrop(event.dataTransfer, event.target instanceof Element ? event.target : null)
      },
    }
    for (const [name, listener] of Object.entries(listeners)) window.addEventListener(name, listener as EventListener)
    return () => {
      for (const [name, listener] of Object.entries(listeners))
        window.removeEventListener(name, listener as EventListener)
    }
  }, [onDrop])
  return over
}
