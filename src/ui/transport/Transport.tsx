import { Blend, Metronome, Moon, Repeat, Shuffle, Sun, X } from 'lucide-react'
import { type ReactNode, useEffect, useRef } from 'react'
import { asSource, planOf } from '../../core'
import { partFacts, recipeOf, type Source, soundKey, tempoOf } from '../../session'
import { timeText } from '../common/formats'
import { eachFrame, TEXT_MS, writeText } from '../common/frames'
import { Guarded } from '../common/Guarded'
import { LaneBadge } from '../common/LaneBadge'
import { Pop } from '../common/Pop'
import { NumberField } from '../fields/NumberField'
import { setSelection } from '../session/edits'
import { hearLane, playback, togglePlay } from '../session/hear/listening'
import { knowledgeOf } from '../session/know/knowledge'
import { setOutlook } from '../session/state/outlook'
import { activeLane, selectedSource, useSession } from '../session/state/store'
import { ListeningSpeed } from './ListeningSpeed'
import { Meter } from './Meter'
import { MixTransport } from './MixTransport'
import { PlayButton } from './PlayButton'

/** What is heard: play and stop, where, which lane, which loop, at which level, and whether it ever ran dry. */
export function Transport() {
  return (
    <Guarded name="The transport">
      <TransportParts />
    </Guarded>
  )
}

function TransportParts() {
  const source = useSession(selectedSource)
  const playing = useSession((state) => state.playing)
  const ready = useSession((state) => (source ? state.loads[soundKey(source)]?.status === 'ready' : false))
  const blind = useSession((state) => source !== undefined && state.blind?.sourceId === source.id)
  const tried = useSession((state) => source !== undefined && state.tried?.sourceId === source.id)
  const { looping, theme, turns } = useSession((state) => state.outlook)
  const active = useSession((state) => (source ? activeLane(state, source) : 'reference'))

  useEffect(() => {
    document.documentElement.dataset.theme = theme
  }, [theme])

  const isTimeline = useSession((state) => state.outlook.view === 'timeline')
  if (isTimeline)
    return (
      <Bar>
        <MixTransport />
        <ListeningSpeed />
        <span className="ml-auto flex items-center gap-3">
          <Meter />
          <ThemeButton />
        </span>
      </Bar>
    )
  return (
    <Bar>
      <PlayButton playing={playing} disabled={!ready} toggle={togglePlay} />
      <Clock source={source} active={active} hidden={blind} />
      <ListeningSpeed />
      {source && !blind && (
        <div role="group" aria-label="Heard lane" className="flex items-center gap-0.5">
          {[undefined, ...source.variants].map((variant, index) => {
            const heard = !tried && active === (variant?.id ?? 'reference')
            return (
              <button
                key={variant?.id ?? 'reference'}
                type="button"
                aria-pressed={heard}
                aria-label={variant ? `Variant ${variant.letter}` : 'Reference'}
                title={`${variant ? `Variant ${variant.letter}` : 'Reference'} (${index})`}
                className="plain-button !px-1"
                onClick={() => hearLane(index)}
              >
                <LaneBadge variant={variant} hollow={!heard} />
              </button>
            )
          })}
        </div>
      )}
      {source && <Loop source={source} looping={looping} />}
      {source && !blind && (
        <button
          type="button"
          className="plain-button"
          aria-pressed={turns}
          disabled={!looping}
          title="Each time round the loop the next lane is heard (I)"
          onClick={() => setOutlook({ turns: !turns })}
        >
          <Shuffle size={14} /> In turn
        </button>
      )}
      <span className="ml-auto flex items-center gap-2">
        {source && <Click source={source} />}
        <Listening />
        <Meter />
        <ThemeButton />
      </span>
    </Bar>
  )
}

const Bar = ({ children }: { readonly children: ReactNode }) => (
  <section
    aria-label="Transport"
    className="flex min-h-[60px] flex-wrap items-center gap-x-4 gap-y-1 border-t border-rule bg-deck px-4 py-1 whitespace-nowrap [grid-area:transport]"
  >
    {children}
  </section>
)

function ThemeButton() {
  const theme = useSession((state) => state.outlook.theme)
  return (
    <button
      type="button"
      className="plain-button !px-1.5"
      aria-label={theme === 'ink' ? 'Change to Paper' : 'Change to Ink'}
      title={theme === 'ink' ? 'Paper: light' : 'Ink: dark'}
      onClick={() => setOutlook({ theme: theme === 'ink' ? 'paper' : 'ink' })}
    >
      {theme === 'ink' ? <Sun size={16} /> : <Moon size={16} />}
    </button>
  )
}

/** How lanes are switched: at one loudness or as they are, and how long one takes over from another. */
function Listening() {
  const { matched, switchMs } = useSession((state) => state.outlook)
  return (
    <span className="flex items-center">
      <button
        type="button"
        className="plain-button"
        aria-pressed={matched}
        title="Bring all lanes to one loudness for listening; exports are not touched"
        onClick={() => setOutlook({ matched: !matched })}
      >
        Match loudness
      </button>
      <Pop
        label="How lanes are switched"
        title={`Cross-fade ${switchMs} ms`}
        width={270}
        trigger={<Blend size={15} aria-hidden="true" />}
      >
        <span className="flex items-end justify-between gap-4">
          <span className="caption pb-1">Cross-fade between lanes</span>
          <NumberField
            label="Cross-fade between lanes"
            unit="ms"
            width="3.2em"
            value={switchMs}
            digits={0}
            min={1}
            max={500}
            step={1}
            scale="log"
            onChange={(ms) => setOutlook({ switchMs: ms })}
            onReset={() => setOutlook({ switchMs: 12 })}
          />
        </span>
        <p className="caption mt-2">
          Short shows what is different about an edge; long passes from one to the other softly.
        </p>
      </Pop>
    </span>
  )
}

const CLICKS = ['off', 'beats', 'eighths'] as const

/** Clicks over the source at its tempo, to check it by ear. */
function Click({ source }: { source: Source }) {
  const click = useSession((state) => state.outlook.click)
  const found = useSession((state) => knowledgeOf(state, source))
  const known = tempoOf(source, found).bpm !== undefined
  const next = CLICKS[(CLICKS.indexOf(click) + 1) % CLICKS.length] as (typeof CLICKS)[number]
  return (
    <button
      type="button"
      className="plain-button"
      aria-pressed={click !== 'off'}
      aria-label={`Click: ${click}`}
      disabled={!known}
      title={known ? 'Click over the source: off, beats, eighths (K)' : 'No beats are known: set a tempo first'}
      onClick={() => setOutlook({ click: next })}
    >
      <Metronome size={15} /> {click === 'off' ? 'Click' : click}
    </button>
  )
}

/** Place in the source and in the result that is heard, written in every animation frame while playing. */
function Clock({ source, active, hidden }: { source: Source | undefined; active: string; hidden: boolean }) {
  const inSource = useRef<HTMLSpanElement>(null)
  const inResult = useRef<HTMLSpanElement>(null)
  const playing = useSession((state) => state.playing)
  const tried = useSession((state) => (source && state.tried?.sourceId === source.id ? state.tried : undefined))
  const position = useSession((state) => (source ? (state.outlook.positions[source.id] ?? 0) : 0))

  useEffect(() => {
    const part = source && partFacts(source)
    const rate = part?.sampleRate ?? 48_000
    const variant = source?.variants.find((v) => v.id === active)
    const recipe = tried?.recipe ?? (source && variant && recipeOf(source, variant))
    const map = part && recipe ? planOf(recipe, part).map : undefined
    const write = () => {
      const frame = playback.playing === 'lane' ? playback.sourceFrame() : position
      writeText(inSource.current, timeText(frame / rate))
      writeText(inResult.current, timeText((map ? map.outputAt(asSource(frame)) : frame) / rate))
      return playing
    }
    return eachFrame(write, TEXT_MS)
  }, [source, active, playing, position, tried])

  return (
    <div className="flex items-end gap-4" role="group" aria-label="Position">
      <span className="flex w-[84px] flex-col leading-tight">
        <span className="caption">source</span>
        <span ref={inSource} className="text-[17px] font-[560]" />
      </span>
      {/* while names are hidden, the result's own time would tell the reference from the rest */}
      <span className={`flex w-[70px] flex-col leading-tight ${hidden ? 'invisible' : ''}`}>
        <span className="caption">heard lane</span>
        <span ref={inResult} className="pb-px text-[14px] text-soft" />
      </span>
    </div>
  )
}

function Loop({ source, looping }: { source: Source; looping: boolean }) {
  const { selection } = source
  const facts = partFacts(source)
  const rate = facts?.sampleRate ?? 48_000
  const seconds = (facts?.frames ?? 0) / rate
  return (
    <div role="group" aria-label="Loop" className="flex items-center gap-2.5">
      <button
        type="button"
        className="plain-button"
        aria-pressed={looping}
        title="Loop (L)"
        onClick={() => setOutlook({ looping: !looping })}
      >
        <Repeat size={15} /> Loop
      </button>
      {selection ? (
        <>
          <NumberField
            label="Loop start"
            width="3.4em"
            value={selection.start / rate}
            digits={3}
            min={0}
            max={selection.end / rate}
            step={0.01}
            onChange={(start, gesture) => setSelection(source.id, { ...selection, start: start * rate }, gesture)}
            onReset={() => setSelection(source.id, { ...selection, start: 0 })}
          />
          <span className="text-faint">to</span>
          <NumberField
            label="Loop end"
            unit="s"
            width="3.4em"
            value={selection.end / rate}
            digits={3}
            min={selection.start / rate}
            max={seconds}
            step={0.01}
            onChange={(end, gesture) => setSelection(source.id, { ...selection, end: end * rate }, gesture)}
            onReset={() => setSelection(source.id, { ...selection, end: seconds * rate })}
          />
          <button
            type="button"
            className="plain-button !px-1"
            aria-label="Drop the selection"
            title="Drop the selection (Esc)"
            onClick={() => setSelection(source.id, undefined)}
          >
            <X size={14} />
          </button>
        </>
      ) : (
        <span className="caption">{looping ? 'all; drag for a part' : 'off'}</span>
      )}
    </div>
  )
}
