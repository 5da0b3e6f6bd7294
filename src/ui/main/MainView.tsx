import { Download, LoaderCircle, Redo2, RotateCcw, Undo2 } from 'lucide-react'
import { errorText } from '../../host/errorText'
import { isPlain, soundKey } from '../../session'
import { Bench } from '../bench/Bench'
import { Centre } from '../common/Centre'
import { channelText, countText, kindText, peakText, rateText, timeText } from '../common/formats'
import { Guarded } from '../common/Guarded'
import { ExportView } from '../export/ExportView'
import { PlayView } from '../play/PlayView'
import { redo, resetTarget, undo } from '../session/acts'
import { exportHeard } from '../session/exporting/quick'
import { loadAgain } from '../session/hear/listening'
import { chosenVariant, selectedSource, useSession } from '../session/state/store'
import { SweepView } from '../sweep/SweepView'
import { MixExport } from '../timeline/MixExport'
import { TimelineHead } from '../timeline/TimelineHead'
import { TimelineView } from '../timeline/TimelineView'
import { AccessBar } from './AccessBar'
import { useKeys } from './useKeys'
import { ViewTabs } from './ViewTabs'

/** The source that is worked on: what it is, whether it could be read, and the view of it that was chosen. */
export function MainView() {
  return (
    <Guarded name="This part">
      <Main />
    </Guarded>
  )
}

function Main() {
  useKeys()
  const ready = useSession((state) => state.ready)
  const source = useSession(selectedSource)
  const load = useSession((state) => (source ? state.loads[soundKey(source)] : undefined))
  const view = useSession((state) => state.outlook.view)
  const variant = useSession((state) => (source ? chosenVariant(state, source) : undefined))
  const blind = useSession((state) => state.blind !== undefined)
  const hasParts = useSession((state) => state.history.present.parts.length > 0)
  const past = useSession((state) => state.history.past.at(-1)?.label)
  const future = useSession((state) => state.history.future[0]?.label)
  const { facts } = source ?? {}
  const isTimeline = view === 'timeline'
  const isExport = view === 'export'
  const ofSource = !isTimeline && !isExport

  return (
    <main className="bench flex min-h-0 min-w-0 flex-col [grid-area:bench]">
      <header className="flex min-h-[58px] shrink-0 items-center gap-4 px-5">
        {isTimeline && <TimelineHead />}
        {isExport && <h2 className="wide text-[22px]">Export</h2>}
        {source && ofSource && (
          <>
            <h2 className="wide max-w-[340px] truncate text-[22px]">{source.name}</h2>
            {facts && (
              <div
                role="group"
                className="roomy-only flex max-h-[24px] min-w-0 flex-1 flex-wrap gap-x-3 overflow-hidden pt-1 text-[12.5px] text-soft"
                aria-label="Source facts"
              >
                <span>{timeText(facts.frames / facts.sampleRate)}</span>
                <span>{countText(facts.frames)} samples</span>
                <span>{rateText(facts.sampleRate)}</span>
                <span>{channelText(facts.channels)}</span>
                <span>{kindText(facts)}</span>
                <span>peak {peakText(facts.peak)}</span>
              </div>
            )}
          </>
        )}
        <span className="ml-auto flex items-center">
          {(source || !ofSource || hasParts) && <ViewTabs />}
          {isTimeline && <MixExport />}
          {source && ofSource && (
            <button
              type="button"
              className="plain-button mr-2"
              disabled={isPlain(source.target)}
              onClick={() => resetTarget(source.id)}
              title="Back to the source's own length and pitch"
            >
              <RotateCcw size={14} /> As source
            </button>
          )}
          {source && variant && ofSource && (
            <button
              type="button"
              className="plain-button mr-2"
              disabled={load?.status !== 'ready' || blind}
              onClick={exportHeard}
              aria-label={`Export the one that is heard: ${variant.letter}`}
              title={`Export variant ${variant.letter}, the one that was heard last (E)`}
            >
              <Download size={14} /> Export
            </button>
          )}
          <button
            type="button"
            className="plain-button"
            disabled={!past}
            onClick={undo}
            aria-label="Undo"
            title={past ? `Undo: ${past} (Ctrl Z)` : 'Nothing to undo'}
          >
            <Undo2 size={16} />
          </button>
          <button
            type="button"
            className="plain-button"
            disabled={!future}
            onClick={redo}
            aria-label="Redo"
            title={future ? `Redo: ${future} (Ctrl Shift Z)` : 'Nothing to redo'}
          >
            <Redo2 size={16} />
          </button>
        </span>
      </header>
      <AccessBar />
      {!ready && <Centre>Opening the session</Centre>}
      {ready && isExport && <ExportView />}
      {ready && isTimeline && (
        <Guarded name="The timeline" resetKey="timeline">
          <TimelineView />
        </Guarded>
      )}
      {ready && !source && ofSource && (
        <Centre>
          <span className="wide text-[20px]">Nothing on the bench</span>
          <span className="max-w-[44ch] text-soft">
            Pick a source from the shelf, or drop sound files anywhere: WAV, AIFF, FLAC, MP3, Ogg or M4A; films as MP4
            or WebM.
          </span>
        </Centre>
      )}
      {source && ofSource && load?.status === 'failed' && (
        <Centre>
          <span role="alert" className="max-w-[56ch] text-trouble">
            {errorText(load.error)}
          </span>
          <button type="button" className="solid-button" onClick={() => loadAgain(source)}>
            Try again
          </button>
        </Centre>
      )}
      {source && ofSource && !facts && load?.status !== 'failed' && (
        <Centre>
          <span className="flex items-center gap-2 text-soft">
            <LoaderCircle size={16} className="animate-spin" aria-hidden="true" /> Reading {source.file}
          </span>
        </Centre>
      )}
      {source && ofSource && facts && load?.status !== 'failed' && (
        <Guarded
          name={view === 'bench' ? 'The bench' : view === 'play' ? 'Play' : 'The sweep'}
          resetKey={`${view} ${source.id}`}
        >
          {view === 'bench' ? (
            <Bench source={source} />
          ) : view === 'play' ? (
            <PlayView source={source} />
          ) : (
            <SweepView source={source} />
          )}
        </Guarded>
      )}
    </main>
  )
}
