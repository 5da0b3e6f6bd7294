import { naturalRange, otherReading, readingOf } from '../../core'
import {
  barsOf,
  beatsOf,
  bpmText,
  clampPitch,
  isUntuned,
  keyInterval,
  keyMoved,
  keyOf,
  keyText,
  kindOf,
  type Source,
  stretchFromBars,
  tempoOf,
  timedFacts,
} from '../../session'
import { KeySelect } from '../common/KeySelect'
import { NumberField } from '../fields/NumberField'
import { setTarget } from '../session/acts'
import { setFollows, setRange } from '../session/edits'
import { knowledgeOf } from '../session/know/knowledge'
import { useSession } from '../session/state/store'
import { rangeMeasured } from '../session/try/sweeps'
import { FitToPicture } from './FitToPicture'
import { RangeGauge } from './RangeGauge'
import { Reading } from './TargetPanel'
import { LENGTH_EXAMPLES, lengthReader } from './typed'

/** The same target in the music's own terms, what it follows, and whether it can still sound natural. */
export function AimRow({ source }: { source: Source }) {
  const found = useSession((state) => knowledgeOf(state, source))
  const session = useSession((state) => state.history.present)
  const measured = useSession((state) => rangeMeasured(state, source))
  const facts = timedFacts(source)
  if (!facts) return null
  const { target } = source
  const tempo = tempoOf(source, found)
  const { beatsPerBar } = beatsOf(source, found)
  const { key } = keyOf(source, found)
  const { kind } = kindOf(source, found)
  const range = naturalRange(kind ?? 'unsure', measured)
  const reading = readingOf(target.stretch, range, target.tied ? 0 : target.pitchSemitones)
  const other = otherReading(target.stretch)
  const offer = other && tempo.bpm !== undefined && reading !== 'natural' ? other : undefined
  const untuned = isUntuned(source, found)
  // bars at the session's tempo: what the result fills there
  const bars = barsOf(facts, session.bpm, beatsPerBar) * target.stretch

  return (
    <section
      aria-label="Aim"
      className="flex flex-wrap items-end gap-x-5 gap-y-2 border-b border-rule px-5 pb-2.5 text-[12.5px] whitespace-nowrap"
    >
      <Reading caption={source.range ? 'Part of the file' : 'From'}>
        <span className="inline-flex items-center gap-0.5 leading-[20px]">
          {source.range
            ? `${(source.range.start / facts.sampleRate).toFixed(3)} – ${(source.range.end / facts.sampleRate).toFixed(3)} s`
            : 'the whole file'}
          {source.selection && (
            <button
              type="button"
              className="plain-button !h-5 !px-1.5 !text-tide"
              title="Work with what is selected only; the file stays as it is"
              onClick={() => {
                const offset = source.range?.start ?? 0
                const { start, end } = source.selection as { start: number; end: number }
                setRange(source.id, { start: offset + start, end: offset + end })
              }}
            >
              Only the selection
            </button>
          )}
          {source.range && (
            <button
              type="button"
              className="plain-button !h-5 !px-1.5 !text-tide"
              onClick={() => setRange(source.id, undefined, 'All of the file')}
            >
              All
            </button>
          )}
        </span>
      </Reading>
      <Reading caption={`Bars at the session's ${bpmText(session.bpm)} BPM`}>
        <NumberField
          label="Length in bars"
          width="3.6em"
          value={bars}
          digits={3}
          min={0.001}
          max={100_000}
          step={1}
          read={lengthReader(
            source,
            { sourceBpm: tempo.bpm, bpm: session.bpm, beatsPerBar },
            'bars',
            (stretch) => barsOf(facts, session.bpm, beatsPerBar) * stretch,
          )}
          examples={LENGTH_EXAMPLES}
          onChange={(next, gesture) =>
            setTarget(source.id, { stretch: stretchFromBars(next, beatsPerBar, session.bpm, facts) }, gesture)
          }
          onReset={() => setTarget(source.id, { stretch: 1 })}
        />
      </Reading>
      {key && !untuned && (
        <Reading caption={`Key, from ${keyText(key)} to`}>
          <KeySelect
            label="Key of the result"
            none="as it is"
            value={keyMoved(key, target.pitchSemitones)}
            onChange={(next) => setTarget(source.id, { pitchSemitones: next ? clampPitch(keyInterval(key, next)) : 0 })}
          />
        </Reading>
      )}
      <Reading caption="Follows the session">
        <span className="inline-flex gap-3 leading-[20px]">
          <Follow
            label="tempo"
            checked={source.follows.tempo}
            disabled={tempo.bpm === undefined}
            title={
              tempo.bpm === undefined
                ? 'Its own tempo has to be known first'
                : `Comes to ${bpmText(session.bpm)} BPM, now and whenever that changes`
            }
            onChange={(on) => setFollows(source.id, { tempo: on })}
          />
          <Follow
            label="key"
            checked={source.follows.key}
            disabled={!key || untuned}
            title={
              untuned ? 'Untuned percussion stays as it is' : 'Comes to the session key, now and whenever that changes'
            }
            onChange={(on) => setFollows(source.id, { key: on })}
          />
        </span>
      </Reading>
      <Follow
        label="pitch goes with speed"
        checked={target.tied}
        title="As on tape: slower is lower"
        onChange={(tied) => setTarget(source.id, { tied })}
      />
      <span className="ml-auto flex items-end gap-3">
        {offer && (
          <button
            type="button"
            className="plain-button !h-6 !text-tide"
            title="The same tempo felt in other beats: nearer to the source"
            onClick={() => setTarget(source.id, { stretch: offer.stretch })}
          >
            {offer.feel === 'half' ? 'Half' : 'Double'} time: × {Number(offer.stretch.toFixed(3))}
          </button>
        )}
        <RangeGauge
          stretch={target.stretch}
          semitones={target.tied ? 0 : target.pitchSemitones}
          range={range}
          kind={kind ?? 'unsure'}
          reading={reading}
        />
        <FitToPicture source={source} range={range} />
      </span>
    </section>
  )
}

function Follow({
  label,
  checked,
  disabled = false,
  title,
  onChange,
}: {
  readonly label: string
  readonly checked: boolean
  readonly disabled?: boolean
  readonly title: string
  readonly onChange: (on: boolean) => void
}) {
  return (
    <label className={`inline-flex items-center gap-1.5 leading-[20px] ${disabled ? 'text-faint' : ''}`} title={title}>
      <input
        type="checkbox"
        checked={checked}
        disabled={disabled}
        onChange={(event) => onChange(event.target.checked)}
      />
      {label}
    </label>
  )
}
