import { useMemo } from 'react'
import { GRIDS, type GridName, gapsOf, type Pin, SWING_RANGE, takesSwing } from '../../../core'
import {
  gridBeatsOf,
  partFacts,
  partStart,
  ruleOf,
  type Source,
  shapeOf,
  type TimedDot,
  timingOf,
} from '../../../session'
import { useSettled } from '../../common/useSettled'
import { Field } from '../../fields/Field'
import { NumberField } from '../../fields/NumberField'
import { Select } from '../../fields/Select'
import { playback } from '../../session/hear/listening'
import { hearMoment } from '../../session/hear/places'
import { knowledgeOf } from '../../session/know/knowledge'
import { setOutlook } from '../../session/state/outlook'
import { store, useSession } from '../../session/state/store'
import { addPin, dropPins, dropPinsBetween, movePin, resetTiming, setRule, useLead } from '../../session/timing'
import { GrooveFields } from './GrooveFields'
import { KinField } from './KinField'
import { useChosenDot, useDots } from './OffGridPlot'
import { OffGridWords } from './OffGridWords'
import { SpeedPanel } from './SpeedPanel'
import { gapText, lateText } from './words'

/** The timing inside a source: its attacks against a grid, or its speed. */
export function TimingPanel({ source: shown }: { source: Source }) {
  const source = useLead(shown)
  const strip = useSession((state) => state.outlook.strip)
  return (
    <div className="flex">
      <fieldset className="flex shrink-0 flex-col gap-1 border-r border-rule px-3 py-2.5 text-[12.5px]">
        <legend className="sr-only">What is drawn over the lanes</legend>
        {STRIPS.map(({ id, label }) => (
          <button
            key={id}
            type="button"
            className="plain-button !h-6 !justify-start"
            aria-pressed={strip === id}
            onClick={() => setOutlook({ strip: id })}
          >
            {label}
          </button>
        ))}
        <KinField source={source} />
      </fieldset>
      <div className="min-w-0 flex-1">
        {strip === 'speed' ? <SpeedPanel source={source} /> : <GridPanel source={source} />}
      </div>
    </div>
  )
}

const STRIPS = [
  { id: 'off-grid', label: 'Off-grid' },
  { id: 'speed', label: 'Speed' },
] as const

/** How a source's attacks lie, the rule that draws them to the grid, and the one that is chosen. */
export function GridPanel({ source }: { source: Source }) {
  const found = useSession((state) => knowledgeOf(state, source))
  const grooves = useSession((state) => state.history.present.grooves)
  const dots = useDots(source)
  const chosen = useChosenDot(source, dots)
  // words follow behind a drag: they are of thousands of attacks, and nobody reads them while one is pulled
  const told = useSettled(useMemo(() => ({ source, dots }), [source, dots]))
  const facts = partFacts(source)
  const beats = gridBeatsOf(source, found)
  if (!facts || !beats)
    return (
      <p className="px-5 py-4 text-soft">
        Without a tempo there is no grid. Say it under the name of the sound: tap it, type it, or take what was found.
      </p>
    )
  const rule = ruleOf(source)
  const timing = timingOf(source)
  const shape = shapeOf(rule, grooves)
  const start = partStart(source)
  const moved = dots.filter(({ own, seconds }) => own !== seconds).length
  const groove = grooves.find(({ id }) => id === rule.groove)

  return (
    <section aria-label="Timing" className="flex flex-col gap-2.5 px-5 py-2.5 text-[12.5px]">
      <div className="flex items-baseline gap-4">
        <OffGridWords {...told} />
        <span className="caption ml-auto whitespace-nowrap" role="status">
          {moved} of {dots.length} moved
        </span>
        <button
          type="button"
          className="plain-button !h-6"
          disabled={!source.timing}
          onClick={() => resetTiming(source)}
        >
          Reset all
        </button>
      </div>
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        <Field caption="Grid">
          <Select
            aria-label="Grid"
            value={shape.grid}
            disabled={groove !== undefined}
            onChange={(event) => setRule(source, { grid: event.target.value as GridName, swing: 50 })}
          >
            {Object.keys(GRIDS).map((name) => (
              <option key={name} value={name}>
                {name.replace('t', ' triplets')}
              </option>
            ))}
          </Select>
        </Field>
        <Field caption="Draw to it">
          <NumberField
            label="Strength"
            width="3.4em"
            value={rule.strength}
            unit="%"
            digits={0}
            min={0}
            max={100}
            step={5}
            onChange={(strength, gesture) => setRule(source, { strength }, gesture)}
            onReset={() => setRule(source, { strength: 0 })}
          />
        </Field>
        <Field caption="Swing (50 straight)">
          {groove || !takesSwing(rule.grid) ? (
            <span className="text-faint">{groove ? 'by the groove' : 'none in triplets'}</span>
          ) : (
            <NumberField
              label="Swing"
              width="3.4em"
              value={rule.swing}
              unit="%"
              digits={1}
              min={SWING_RANGE.min}
              max={SWING_RANGE.max}
              step={1}
              onChange={(swing, gesture) => setRule(source, { swing }, gesture)}
              onReset={() => setRule(source, { swing: 50 })}
            />
          )}
        </Field>
        <Field caption="Only within">
          <NumberField
            label="Window"
            width="3.6em"
            value={rule.windowMs}
            placeholder="all"
            unit="ms"
            digits={0}
            min={1}
            max={1000}
            step={5}
            onChange={(windowMs, gesture) => setRule(source, { windowMs }, gesture)}
            onReset={() => setRule(source, { windowMs: undefined })}
          />
        </Field>
        <GrooveFields source={source} groove={groove} />
        <label className="inline-flex h-6 items-center gap-1.5">
          <input
            type="checkbox"
            checked={rule.from !== undefined}
            disabled={!source.selection && rule.from === undefined}
            onChange={(event) => {
              const { selection } = source
              const only = event.target.checked && selection
              setRule(source, {
                from: only ? selection.start / facts.sampleRate + start : undefined,
                to: only ? selection.end / facts.sampleRate + start : undefined,
              })
            }}
          />
          selection only
        </label>
      </div>
      <Chosen source={source} dot={chosen} dots={dots} pins={timing.pins.length} />
    </section>
  )
}

/** The gaps before and behind a moment of the file, seconds of the part. */
function gapsBeside(placed: readonly Pin[], moment: number, start: number, seconds: number) {
  const at = placed.findIndex(({ source }) => source > moment - 1e-6)
  const near = at < 0 ? placed.slice(-1) : placed.slice(Math.max(0, at - 1), at + 2)
  const isFirst = at >= 0 && at <= 1
  const isLast = at < 0 || at + 2 >= placed.length
  const own = near.map((pin) => ({ source: pin.source - start, own: pin.own - start }))
  // the ends of the part count only where nothing lies between
  return gapsOf(own, seconds).slice(isFirst ? 0 : 1, isLast ? undefined : -1)
}

function Chosen({
  source,
  dot,
  dots,
  pins,
}: {
  readonly source: Source
  readonly dot: TimedDot | undefined
  readonly dots: readonly TimedDot[]
  readonly pins: number
}) {
  const start = partStart(source)
  const stopped = useSession(({ chosenMoment }) =>
    chosenMoment?.sourceId === source.id ? chosenMoment.stopped : undefined,
  )
  const facts = partFacts(source)
  const seconds = facts ? facts.frames / facts.sampleRate : 0
  const gaps = dot ? gapsBeside(timingOf(source).placed, dot.seconds + start, start, seconds) : []
  const { selection } = source
  const inSelection =
    selection && facts
      ? timingOf(source).pins.filter(({ source: at }) => {
          const frame = (at - start) * facts.sampleRate
          return frame >= selection.start && frame <= selection.end
        }).length
      : 0
  const isNear = (a: number) => dot !== undefined && Math.abs(a - dot.seconds) < 1e-6
  const before = gaps.find(({ to }) => isNear(to.source))
  const behind = gaps.find(({ from }) => isNear(from.source))
  return (
    <div className="flex items-end gap-x-5">
      {dot ? (
        <>
          <Field
            caption={
              dot.isBare ? 'Pin, off the grid' : `Attack ${dots.indexOf(dot) + 1} of ${dots.length}, off the grid`
            }
          >
            <NumberField
              label="Off the grid"
              width="4.4em"
              value={Number((1000 * dot.ownOffset).toFixed(2))}
              unit="ms"
              digits={1}
              signed
              min={-2000}
              max={2000}
              step={1}
              onChange={(ms, gesture) => movePin(source, dot.seconds + start, dot.bent + ms / 1000 + start, gesture)}
              onReset={() => dropPins(source, dot.seconds + start)}
            />
          </Field>
          <span className="caption min-w-0 flex-1 truncate pb-1" role="status">
            {stopped
              ? `goes no ${stopped === 'early' ? 'earlier' : 'later'}: what lies ${stopped === 'early' ? 'before' : 'behind'} it needs that room`
              : `was ${lateText(1000 * dot.offset)}`}
            {before && behind && ` · gaps ${gapText(before.stretch)}, ${gapText(behind.stretch)}`}
          </span>
          <button type="button" className="plain-button !h-6" onClick={() => hearMoment(source, dot.seconds)}>
            Loop it
          </button>
          <button
            type="button"
            className="plain-button !h-6"
            disabled={!dot.byHand}
            onClick={() => dropPins(source, dot.seconds + start)}
          >
            Reset it
          </button>
        </>
      ) : (
        <span className="caption pb-1">
          Choose an attack above: pull its dot, or its handle in the lanes, or use the arrow keys
        </span>
      )}
      <button
        type="button"
        className="plain-button ml-auto !h-6"
        title="Hold the moment at the playhead, where nothing is struck too: a held note, a breath"
        onClick={() => {
          const at = playback.sourceFrame() / (facts?.sampleRate ?? 48_000)
          addPin(source, at + start)
          store.setState({ chosenMoment: { sourceId: source.id, seconds: at + start } })
        }}
      >
        Pin here
      </button>
      {inSelection > 0 && selection && facts && (
        <button
          type="button"
          className="plain-button !h-6"
          onClick={() =>
            dropPinsBetween(
              source,
              selection.start / facts.sampleRate + start,
              selection.end / facts.sampleRate + start,
            )
          }
        >
          Reset {inSelection} selected
        </button>
      )}
      <button type="button" className="plain-button !h-6" disabled={pins === 0} onClick={() => dropPins(source)}>
        Reset {pins} {pins === 1 ? 'pin' : 'pins'}
      </button>
    </div>
  )
}
