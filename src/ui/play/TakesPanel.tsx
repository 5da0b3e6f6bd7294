import { Circle, Download, Grid3x3, Library, ListMusic, Repeat2, Square, Trash2, Undo2, Volume2 } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import type { Take } from '../../session'
import { keyText } from '../../session/notesFile'
import { timeText } from '../common/formats'
import { eachFrame } from '../common/frames'
import { Pop } from '../common/Pop'
import { Progress } from '../common/Progress'
import { Field } from '../fields/Field'
import { NumberField } from '../fields/NumberField'
import { Select } from '../fields/Select'
import { isOfTakes } from '../session/exporting/items'
import { aheadOf, cancelTakeExports, exportTake } from '../session/exporting/quick'
import { playback } from '../session/hear/listening'
import { beginRound, endRound, takeBackRound } from '../session/play/rounds'
import {
  beginTake,
  cancelTake,
  changeTake,
  endTake,
  hearTake,
  playTakeBy,
  quantiseTake,
  removeFromTake,
  removeTake,
  stopHearing,
  TAKE_EXPORT,
  takeToShelf,
  takeToTimeline,
} from '../session/play/takes'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { NoteStart } from './NoteStart'

const STEPS = [
  { value: '1', label: '1/4' },
  { value: '2', label: '1/8' },
  { value: '4', label: '1/16' },
  { value: '3', label: '1/8t' },
] as const

/** What was played: recorded, heard again sample for sample, changed, and taken away. */
export function TakesPanel() {
  const takes = useSession((state) => state.history.present.takes)
  const taking = useSession((state) => state.taking)
  const round = useSession((state) => state.round !== undefined)
  const rendering = useSession((state) => state.exports[TAKE_EXPORT])
  const ahead = useSession((state) => aheadOf(state.queue, isOfTakes))
  const running = rendering ?? ahead
  return (
    <div className="flex flex-col gap-2 px-5 py-2.5 text-[12.5px]">
      <div className="flex items-end gap-3">
        <button
          type="button"
          className="solid-button !h-7"
          aria-pressed={taking}
          title="Record what is played on pads and keys (F3)"
          onClick={taking ? endTake : beginTake}
        >
          {taking ? <Square size={12} /> : <Circle size={13} />} {taking ? 'End the take' : 'Record a take'}{' '}
          <kbd className="key !border-current !text-current">F3</kbd>
        </button>
        <span className="pb-1 text-soft">
          {taking
            ? 'Play pads and keys: the take begins with the first note.'
            : round
              ? 'What is struck comes again each time round.'
              : takes.length === 0
                ? 'No takes yet. A take comes to the very samples that were heard.'
                : ''}
        </span>
        <Overdub />
        {running && (
          <span className="ml-auto inline-flex items-center gap-2" role="status">
            <Progress
              label={`Rendering ${running.name}`}
              value={running.progress}
              cancelLabel="Stop rendering the take"
              onCancel={rendering ? cancelTake : cancelTakeExports}
            >
              {Math.round(100 * running.progress)} %
            </Progress>
          </span>
        )}
      </div>
      <ul aria-label="Takes" className="flex max-h-[150px] flex-col overflow-y-auto">
        {takes.map((take) => (
          <Row key={take.id} take={take} />
        ))}
      </ul>
    </div>
  )
}

/** Bars that go round with the click, and what is played over them. */
function Overdub() {
  const round = useSession((state) => state.round)
  const bars = useSession((state) => state.outlook.roundBars)
  const bpm = useSession((state) => state.history.present.bpm)
  return (
    <span className="ml-auto inline-flex items-end gap-3">
      {round ? (
        <>
          <RoundPlace beats={round.beats} beatsPerBar={round.beatsPerBar} notes={round.notes} />
          <button
            type="button"
            className="plain-button !h-7"
            disabled={round.notes === 0}
            title="Take back what was played the last time round (Backspace)"
            onClick={takeBackRound}
          >
            <Undo2 size={13} /> Last time round
          </button>
        </>
      ) : (
        <>
          <NoteStart />
          <Field caption="Goes round">
            <NumberField
              label="Bars that go round"
              width="2.4em"
              value={bars}
              unit="bars"
              digits={0}
              min={1}
              max={64}
              step={1}
              onChange={(value) => setOutlook({ roundBars: Math.round(value) })}
              onReset={() => setOutlook({ roundBars: 2 })}
            />
          </Field>
        </>
      )}
      <button
        type="button"
        className="plain-button !h-7 border border-edge"
        aria-pressed={round !== undefined}
        title={`These bars go round at ${bpm} BPM with the click, behind one bar of it alone; what is struck comes again each time (F4)`}
        onClick={round ? endRound : () => void beginRound()}
      >
        <Repeat2 size={14} /> {round ? 'End the overdub' : 'Overdub'} <kbd className="key">F4</kbd>
      </button>
    </span>
  )
}

/** Where an overdub is: written straight into the page, picture by picture. */
function RoundPlace({
  beats,
  beatsPerBar,
  notes,
}: {
  readonly beats: number
  readonly beatsPerBar: number
  readonly notes: number
}) {
  const text = useRef<HTMLSpanElement>(null)
  useEffect(
    () =>
      eachFrame(() => {
        const beat = Math.floor((playback.roundBeat() ?? 0) - beatsPerBar)
        const own = text.current
        if (!own) return false
        const place = `${1 + Math.floor((beat % beats) / beatsPerBar)}.${1 + (beat % beatsPerBar)}`
        const shown = beat < 0 ? `begins in ${-beat}` : `${place} · time ${1 + Math.floor(beat / beats)}`
        if (own.textContent !== shown) own.textContent = shown
        return true
      }),
    [beats, beatsPerBar],
  )
  return (
    <span className="whitespace-nowrap pb-1 text-soft">
      <span ref={text} className="inline-block min-w-[9ch] text-ink tabular-nums" /> {notes} notes
    </span>
  )
}

function Row({ take }: { readonly take: Take }) {
  const picks = useSession((state) => state.history.present.picks)
  const bpm = useSession((state) => state.history.present.bpm)
  const keys = useSession((state) => state.history.present.keys)
  const [step, setStep] = useState('4')
  const players = new Set(take.notes.map(({ pick }) => pick ?? ''))
  const one = players.size === 1 ? [...players][0] : undefined
  return (
    <li className="flex items-center gap-3 border-t border-rule py-1">
      <input
        aria-label={`Name of ${take.name}`}
        type="text"
        className="w-[110px] bg-transparent leading-[20px] outline-none focus:border-b focus:border-tide"
        value={take.name}
        maxLength={200}
        onChange={(event) =>
          changeTake(
            take.id,
            'name a take',
            (own) => {
              own.name = event.target.value
            },
            `take ${take.id}`,
          )
        }
      />
      <span className="w-[150px] whitespace-nowrap text-soft">
        <Pop label={`What is played in ${take.name}`} trigger={playedText(take)} width={380}>
          <Played take={take} />
        </Pop>
      </span>
      <Picture take={take} />
      <Select
        aria-label={`Who plays ${take.name}`}
        className="max-w-[150px]"
        value={one ?? 'as played'}
        onChange={(event) => {
          if (event.target.value !== 'as played') playTakeBy(take.id, event.target.value || undefined)
        }}
      >
        {one === undefined && <option value="as played">as it was played</option>}
        {keys && <option value="">the keys</option>}
        {picks.map((pick) => (
          <option key={pick.id} value={pick.id}>
            {pick.name}
          </option>
        ))}
      </Select>
      <span className="ml-auto inline-flex items-center">
        <Select aria-label="Step" value={step} onChange={(event) => setStep(event.target.value)}>
          {STEPS.map(({ value, label }) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </Select>
        <button
          type="button"
          className="plain-button !h-6"
          title={`Bring its notes to ${bpm} BPM, counted from the first one`}
          onClick={() => quantiseTake(take.id, bpm, Number(step))}
        >
          <Grid3x3 size={13} /> Quantise
        </button>
        <button type="button" className="plain-button !h-6" onClick={() => void hearTake(take)}>
          <Volume2 size={13} /> Hear
        </button>
        <button type="button" className="plain-button !h-6 !px-1.5" aria-label="Stop hearing it" onClick={stopHearing}>
          <Square size={11} />
        </button>
        <button
          type="button"
          className="plain-button !h-6"
          title="As a source on the shelf"
          onClick={() => void takeToShelf(take)}
        >
          <Library size={13} /> Shelf
        </button>
        <button
          type="button"
          className="plain-button !h-6"
          title="Onto the timeline, from its playhead on: a part for each pick or keys that play it"
          onClick={() => void takeToTimeline(take)}
        >
          <ListMusic size={13} /> Timeline
        </button>
        <button
          type="button"
          className="plain-button !h-6"
          title="As a file: 32-bit float, sample for sample what was heard"
          onClick={() => void exportTake(take)}
        >
          <Download size={13} /> File
        </button>
        <button
          type="button"
          className="plain-button !h-6 !px-1.5"
          aria-label={`Remove ${take.name}`}
          onClick={() => removeTake(take.id)}
        >
          <Trash2 size={13} />
        </button>
      </span>
    </li>
  )
}

const playedText = ({ notes, hands, length, rate }: Take) =>
  [
    ...(notes.length > 0 || hands.length === 0 ? [`${notes.length} notes`] : []),
    ...(hands.length > 0 ? [`${hands.length} by hand`] : []),
    timeText(length / rate),
  ].join(', ')

/** All that is played in a take, one below the other; what was struck by mistake is taken out. */
function Played({ take }: { readonly take: Take }) {
  const picks = useSession((state) => state.history.present.picks)
  const sources = useSession((state) => state.history.present.sources)
  const at = (frames: number) => timeText(frames / take.rate)
  const row = (key: string, when: number, what: string, length: string, label: string, remove: () => void) => (
    <li key={key} className="flex items-center gap-3 border-rule py-0.5 not-first:border-t">
      <span className="w-[64px] text-soft tabular-nums">{at(when)}</span>
      <span className="min-w-0 flex-1 truncate">{what}</span>
      <span className="w-[90px] text-right text-soft tabular-nums">{length}</span>
      <button type="button" className="plain-button !h-6 !px-1.5" aria-label={label} onClick={remove}>
        <Trash2 size={13} />
      </button>
    </li>
  )
  return (
    <ul aria-label={`Played in ${take.name}`} className="text-[12.5px]">
      {take.notes.map(({ pick, key, on, off, velocity }, n) => {
        const name =
          pick === undefined ? keyText(key) : (picks.find(({ id }) => id === pick)?.name ?? 'a pick that is gone')
        return row(
          `${on} ${pick ?? ''} ${key}`,
          on,
          `${name}, ${Math.round(100 * velocity)} %`,
          off === undefined ? 'to its end' : `${((off - on) / take.rate).toFixed(2)} s`,
          `Take out ${name} at ${at(on)}`,
          () => removeFromTake(take.id, 'notes', n),
        )
      })}
      {take.hands.map(({ source, on, off, moves }, n) => {
        const name = sources.find(({ id }) => id === source)?.name ?? 'a source that is gone'
        return row(
          `hand ${on}`,
          on,
          `${name} by hand, ${moves.length} moves`,
          off === undefined ? '' : `${((off - on) / take.rate).toFixed(2)} s`,
          `Take out the hand at ${at(on)}`,
          () => removeFromTake(take.id, 'hands', n),
        )
      })}
    </ul>
  )
}

/** The notes of a take, small: time across, keys up, pads on lines of their own. */
function Picture({ take }: { readonly take: Take }) {
  const length = Math.max(1, take.length)
  const lanes = [...new Set(take.notes.map(({ pick, key }) => pick ?? `key ${key}`))].sort()
  return (
    <svg viewBox="0 0 100 16" preserveAspectRatio="none" className="h-[20px] w-[150px] bg-well" aria-hidden="true">
      {take.notes.map(({ pick, key, on, off, velocity }) => {
        const lane = lanes.indexOf(pick ?? `key ${key}`)
        const height = 16 / Math.max(4, lanes.length)
        return (
          <rect
            key={`${on} ${pick ?? ''} ${key}`}
            x={(100 * on) / length}
            y={16 - height * (lane + 1)}
            width={Math.max(0.8, (100 * ((off ?? length) - on)) / length)}
            height={height * 0.8}
            fill="var(--tide)"
            opacity={0.4 + 0.6 * velocity}
          />
        )
      })}
    </svg>
  )
}
