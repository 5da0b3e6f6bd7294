import { Metronome, Pencil, Plus } from 'lucide-react'
import { useEffect, useState } from 'react'
import { Pop } from '../common/Pop'
import { NumberField } from '../fields/NumberField'
import { Select } from '../fields/Select'
import { setOutlook } from '../session/state/outlook'
import { selectedSource, store, useSession } from '../session/state/store'
import { hereOf, layHere } from '../session/timeline/acts'
import {
  flattenTempoLine,
  limitTempoTo,
  multiplyTempoLine,
  rampTempoTo,
  setClickLevel,
  setTempoAt,
  shiftTempo,
  smoothTempoLine,
} from '../session/timeline/edits'
import { readyParts, timelineOf } from '../session/timeline/mixing'

const SNAPS = [
  ['bar', 'bars'],
  ['beat', 'beats'],
  ['half', 'half beats'],
  ['quarter', 'quarter beats'],
  ['free', 'nothing'],
] as const

/** What is done to the whole: laying, tempo, snapping, click. */
export function ToolBar({
  drawing,
  onDrawing,
}: {
  readonly drawing: boolean
  readonly onDrawing: (on: boolean) => void
}) {
  const source = useSession(selectedSource)
  const { snap, countIn, mixClick } = useSession((state) => state.outlook)
  const click = useSession((state) => state.history.present.click)
  const ready = useSession(readyParts)
  const of = useSession((state) => state.history.present.parts.length)
  return (
    <div
      role="toolbar"
      aria-label="Timeline"
      className="flex min-h-[38px] shrink-0 flex-wrap items-center gap-x-4 gap-y-1 px-4 pb-1"
    >
      <button
        type="button"
        className="plain-button !px-1.5"
        disabled={!source}
        onClick={layHere}
        title="Lay the selected source at the playhead (Enter)"
      >
        <Plus size={14} /> <span className="max-w-[150px] truncate">Lay {source ? source.name : 'a source'}</span>
      </button>
      <TempoHere />
      <TempoTools />
      <button
        type="button"
        className="plain-button !px-1.5"
        aria-pressed={drawing}
        onClick={() => onDrawing(!drawing)}
        title="Draw the tempo line with the pointer"
      >
        <Pencil size={13} /> Draw tempo
      </button>
      <span className="flex items-center gap-1.5">
        <span className="caption">snap to</span>
        <Select
          aria-label="Snap to"
          value={snap}
          onChange={(event) => setOutlook({ snap: event.target.value as typeof snap })}
        >
          {SNAPS.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </Select>
      </span>
      <span
        className="caption flex items-center gap-1.5"
        title="Attacks of parts that are locked to bars, against quarter beats"
      >
        <svg width="18" height="11" viewBox="0 0 18 11" aria-hidden="true">
          <path d="M1.5 1v7" stroke="var(--soft)" strokeWidth="1" />
          <path d="M11 1v7" stroke="var(--harm)" strokeWidth="2" />
          <path d="M11 4l5 3l-5 3z" fill="var(--harm)" />
        </svg>
        off the grid
      </span>
      <span className="ml-auto flex items-center gap-1">
        {ready < of && (
          <span role="status" className="caption pr-2">
            {ready} of {of} parts can be heard
          </span>
        )}
        <button
          type="button"
          className="plain-button !px-1.5"
          aria-pressed={countIn}
          onClick={() => setOutlook({ countIn: !countIn })}
          title="A bar of click before it plays"
        >
          Count in
        </button>
        <button
          type="button"
          className="plain-button !px-1.5"
          aria-pressed={mixClick}
          onClick={() => setOutlook({ mixClick: !mixClick })}
          title="Click on every beat (K)"
          aria-label="Click of the timeline"
        >
          <Metronome size={15} /> Click
        </button>
        <NumberField
          label="Click level"
          unit="dB"
          width="2.6em"
          value={click.gainDb}
          digits={1}
          min={-60}
          max={12}
          step={1}
          signed
          onChange={setClickLevel}
          onReset={() => setClickLevel(-6)}
        />
      </span>
    </div>
  )
}

/** The tempo where the playhead is. To change it is to change the event that holds there. */
function TempoHere() {
  const session = useSession((state) => state.history.present)
  const playing = useSession((state) => state.mixPlaying)
  const beat = useSession((state) => state.outlook.beat)
  const [here, setHere] = useState(beat)
  // biome-ignore lint/correctness/useExhaustiveDependencies: where it rests is where it is looked for again
  useEffect(() => {
    setHere(hereOf(store.getState()))
    if (!playing) return
    const timer = setInterval(() => setHere(hereOf(store.getState())), 200)
    return () => clearInterval(timer)
  }, [playing, beat])
  void session
  const { tempo } = timelineOf(store.getState())
  const bpm = tempo.bpmAt(Math.max(0, here))
  return (
    <span className="flex items-baseline gap-1.5">
      <span className="caption">tempo here</span>
      <NumberField
        label="Tempo"
        unit="BPM"
        width="3.4em"
        value={bpm}
        digits={2}
        min={5}
        max={1000}
        step={1}
        onChange={(next, gesture) => setTempoAt(here, next, gesture)}
        onReset={() => setTempoAt(here, session.bpm)}
      />
    </span>
  )
}

/** What is done to the line as a whole. */
function TempoTools() {
  const [band, setBand] = useState({ least: 90, most: 120 })
  const [ramp, setRamp] = useState({ bars: 4, bpm: 120, curve: 'linear' as 'linear' | 'log' })
  const act = 'plain-button !h-6 !px-2 !text-tide'
  return (
    <Pop label="Tempo line" title="Change the whole line, or make a ramp" width={330} trigger="Tempo line…">
      <div className="flex flex-col gap-3">
        <Group name="Whole line">
          {([-5, -1, 1, 5] as const).map((by) => (
            <button key={by} type="button" className={act} onClick={() => shiftTempo(by)}>
              {by > 0 ? '+' : '−'}
              {Math.abs(by)} BPM
            </button>
          ))}
          {([95, 99, 101, 105] as const).map((percent) => (
            <button key={percent} type="button" className={act} onClick={() => multiplyTempoLine(percent)}>
              × {percent} %
            </button>
          ))}
        </Group>
        <Group name="Keep within">
          <PlainNumber label="Lowest tempo" value={band.least} onChange={(least) => setBand({ ...band, least })} />
          <span className="text-faint">to</span>
          <PlainNumber label="Highest tempo" value={band.most} onChange={(most) => setBand({ ...band, most })} />
          <button type="button" className={act} onClick={() => limitTempoTo(band.least, band.most)}>
            Limit
          </button>
        </Group>
        <Group name="Ramp from the playhead's bar">
          <PlainNumber label="Ramp to" value={ramp.bpm} onChange={(bpm) => setRamp({ ...ramp, bpm })} />
          <span className="text-faint">BPM over</span>
          <PlainNumber
            label="Bars of the ramp"
            value={ramp.bars}
            unit="bars"
            onChange={(bars) => setRamp({ ...ramp, bars: Math.max(1, Math.round(bars)) })}
          />
          <Select
            aria-label="Curve of the ramp"
            value={ramp.curve}
            onChange={(event) => setRamp({ ...ramp, curve: event.target.value as 'linear' })}
          >
            <option value="linear">even</option>
            <option value="log">by ratio</option>
          </Select>
          <button
            type="button"
            className={act}
            onClick={() => {
              const state = store.getState()
              const { metre } = timelineOf(state)
              const { bar } = metre.barAt(hereOf(state) + 1e-6)
              rampTempoTo(metre.beatOfBar(bar), metre.beatOfBar(bar + ramp.bars), ramp.bpm, ramp.curve)
            }}
          >
            Make it
          </button>
        </Group>
        <Group name="Whole line">
          <button type="button" className={act} onClick={() => flattenTempoLine()} title="As long in all as it is now">
            One tempo
          </button>
          <button type="button" className={act} onClick={() => smoothTempoLine(2)}>
            Smooth
          </button>
        </Group>
        <p className="caption">
          In the curve: double-click for a point, drag it, C for the way to the next one, Delete.
        </p>
      </div>
    </Pop>
  )
}

const Group = ({ name, children }: { readonly name: string; readonly children: React.ReactNode }) => (
  <div role="group" aria-label={name} className="flex flex-wrap items-center gap-x-1.5 gap-y-1">
    <span className="caption w-full">{name}</span>
    {children}
  </div>
)

function PlainNumber({
  label,
  value,
  unit,
  onChange,
}: {
  readonly label: string
  readonly value: number
  readonly unit?: string
  readonly onChange: (value: number) => void
}) {
  return (
    <NumberField
      label={label}
      {...(unit && { unit })}
      width="3em"
      value={value}
      digits={1}
      min={1}
      max={1000}
      step={1}
      onChange={onChange}
      onReset={() => onChange(value)}
    />
  )
}
