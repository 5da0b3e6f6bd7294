import { LoaderCircle } from 'lucide-react'
import type { Knowledge } from '../../../core'
import { bpmText, isUntuned, keyOf, keyText, kindOf, loopOf, partFacts, type Source, tempoOf } from '../../../session'
import { KeySelect } from '../../common/KeySelect'
import { Pop } from '../../common/Pop'
import { Select } from '../../fields/Select'
import { setHand, setRange, setSelection } from '../../session/edits'
import { playback, seek } from '../../session/hear/listening'
import { knowledgeOf } from '../../session/know/knowledge'
import { setOutlook } from '../../session/state/outlook'
import { useSession } from '../../session/state/store'
import { AttackFacts } from './AttackFacts'
import { CueFacts } from './CueFacts'
import { DriftCurve } from './DriftCurve'
import { TempoFacts } from './TempoFacts'

const KINDS = ['hits', 'single line', 'chords', 'dense mix', 'noise'] as const

/** What is known of the source, a word each: what is certain is small, what is doubtful asks. */
export function KnowStrip({ source }: { source: Source }) {
  const found = useSession((state) => knowledgeOf(state, source))
  const listened = useSession((state) => state.listened[source.id])
  return (
    <div
      role="group"
      aria-label="What is known"
      className="flex h-[30px] shrink-0 items-center gap-1 px-4 text-[12.5px]"
    >
      {found === null && (
        <span role="status" className="flex items-center gap-2 px-1.5 text-faint">
          <LoaderCircle size={13} className="animate-spin" aria-hidden="true" /> Listening to what it is
          {listened !== undefined && (
            <progress
              aria-label="Listening to what it is"
              className="h-1.5 w-[120px]"
              max={1}
              value={listened}
              title={`${Math.round(100 * listened)} %`}
            />
          )}
        </span>
      )}
      <Tempo source={source} found={found} />
      <Bars source={source} found={found} />
      {found && found.tempo.drift.percent > 0.5 && source.hand.bpm === undefined && <Drift found={found} />}
      <Tone source={source} found={found} />
      <Kind source={source} found={found} />
      {found && <AttackFacts source={source} found={found} />}
      {source.facts && <CueFacts source={source} />}
    </div>
  )
}

type Props = { readonly source: Source; readonly found: Knowledge | null | undefined }

function Tempo({ source, found }: Props) {
  const tempo = tempoOf(source, found)
  if (found === null && tempo.bpm === undefined) return null
  const text = tempo.bpm === undefined ? (tempo.doubt ?? 'no tempo') : `${bpmText(tempo.bpm)} BPM`
  return (
    <Pop
      label="Tempo"
      title={tempo.doubt ?? (tempo.by === 'hand' ? 'set by hand' : undefined)}
      doubtful={tempo.doubt !== undefined}
      trigger={
        <>
          {text}
          {tempo.by === 'hand' && <ByHand />}
          {tempo.doubt !== undefined && <b aria-hidden="true"> ?</b>}
        </>
      }
      width={400}
    >
      <TempoFacts source={source} found={found} />
    </Pop>
  )
}

const ByHand = () => <span className="caption pl-1">by hand</span>

function Bars({ source, found }: Props) {
  const loop = loopOf(source, found)
  const facts = partFacts(source)
  if (!loop || !facts) return null
  const over = loop.overhangMs
  const clean = Math.abs(over) < 5
  const bars = `${loop.bars} ${loop.bars === 1 ? 'bar' : 'bars'}`
  const trimmed = source.range !== undefined
  const seam = () => {
    // the loop goes over the bars that a trim would keep; it is heard from half a second before its end
    const offset = source.range?.start ?? 0
    if (!clean) setSelection(source.id, { start: loop.start - offset, end: loop.end - offset })
    const end = clean ? facts.frames : loop.end - offset
    const from = Math.max(0, end - facts.sampleRate / 2)
    setOutlook({ looping: true })
    if (playback.playing === 'lane') seek(from)
    else void playback.play(from)
  }
  return (
    <Pop
      label="Bars"
      doubtful={!clean}
      width={300}
      trigger={clean ? bars : `${bars}, ${over > 0 ? '+' : '−'}${Math.abs(over).toFixed(0)} ms`}
    >
      <p>
        {clean
          ? `Holds ${bars} exactly.`
          : over > 0
            ? `${bars}, and ${over.toFixed(1)} ms hang over.`
            : `${bars}, cut ${(-over).toFixed(1)} ms early.`}
      </p>
      <div className="mt-2 flex flex-wrap gap-1">
        {!clean && over > 0 && (
          <button
            type="button"
            className="solid-button"
            onClick={() => setRange(source.id, { start: loop.start, end: loop.end }, 'Trim to bars')}
          >
            Trim to {bars}
          </button>
        )}
        <button type="button" className="plain-button" onClick={seam}>
          Hear the seam
        </button>
        {trimmed && (
          <button
            type="button"
            className="plain-button"
            onClick={() => setRange(source.id, undefined, 'All of the file')}
          >
            All of the file
          </button>
        )}
      </div>
      <p className="mt-2 text-[12px] text-faint">The file itself stays as it is.</p>
    </Pop>
  )
}

function Drift({ found }: { found: Knowledge }) {
  const { percent, bars } = found.tempo.drift
  return (
    <Pop label="Drift" doubtful width={420} trigger={`wanders ± ${percent.toFixed(1)} %`}>
      <p className="mb-2">
        Played freely: {bars.length} bars between {Math.min(...bars.map((b) => b.bpm)).toFixed(1)} and{' '}
        {Math.max(...bars.map((b) => b.bpm)).toFixed(1)} BPM.
      </p>
      <DriftCurve bars={bars} />
    </Pop>
  )
}

function Tone({ source, found }: Props) {
  const { key, by, doubt } = keyOf(source, found)
  if (!found && !key) return null
  const untuned = isUntuned(source, found)
  return (
    <Pop
      label="Key"
      doubtful={!untuned && doubt !== undefined}
      trigger={
        <>
          {untuned ? 'untuned' : key ? keyText(key) : 'no key'}
          {by === 'hand' && !untuned && <ByHand />}
          {!untuned && doubt && <b aria-hidden="true"> ?</b>}
        </>
      }
      width={330}
    >
      <div className="flex items-center gap-2">
        <KeySelect
          label="Key by hand"
          value={key}
          onChange={(next) => setHand(source.id, { key: next })}
          none="not told"
        />
        {by === 'hand' && (
          <button type="button" className="plain-button" onClick={() => setHand(source.id, { key: undefined })}>
            As found
          </button>
        )}
      </div>
      {found && (
        <p className="mt-2 text-[12.5px] text-soft">
          {found.pitch.rootHz === undefined
            ? ''
            : `Lowest root ${found.pitch.rootHz.toFixed(1)} Hz, ${found.pitch.tuningCents >= 0 ? '+' : '−'}${Math.abs(found.pitch.tuningCents).toFixed(0)} cents. `}
          {found.pitch.reasons.join('; ')}.
        </p>
      )}
      <label className="mt-3 flex items-center gap-2">
        <input
          type="checkbox"
          checked={untuned}
          onChange={(event) => setHand(source.id, { untuned: event.target.checked })}
        />
        Untuned percussion: stays when others are transposed
      </label>
    </Pop>
  )
}

function Kind({ source, found }: Props) {
  const { kind, by } = kindOf(source, found)
  if (!kind) return null
  const { shares } = found?.material ?? {}
  return (
    <Pop
      label="Material"
      doubtful={kind === 'unsure'}
      trigger={
        <>
          {kind === 'unsure' ? `perhaps ${found?.material.likely} ?` : kind}
          {by === 'hand' && <ByHand />}
        </>
      }
      width={340}
    >
      <div className="flex items-center gap-2">
        <Select
          aria-label="Material by hand"
          value={kind === 'unsure' ? '' : kind}
          onChange={(event) => setHand(source.id, { kind: event.target.value as (typeof KINDS)[number] })}
        >
          {kind === 'unsure' && <option value="">unsure</option>}
          {KINDS.map((name) => (
            <option key={name} value={name}>
              {name}
            </option>
          ))}
        </Select>
        {by === 'hand' && (
          <button type="button" className="plain-button" onClick={() => setHand(source.id, { kind: undefined })}>
            As found
          </button>
        )}
      </div>
      {shares && (
        <div className="mt-3 flex h-2 overflow-hidden rounded-[2px]" aria-hidden="true">
          <span style={{ width: `${100 * shares.sines}%`, background: 'var(--lane-2)' }} />
          <span style={{ width: `${100 * shares.attacks}%`, background: 'var(--lane-4)' }} />
          <span style={{ width: `${100 * shares.noise}%`, background: 'var(--edge)' }} />
        </div>
      )}
      {found && (
        <ul className="mt-2 list-disc pl-4 text-[12.5px] text-soft">
          {found.material.reasons.map((reason) => (
            <li key={reason}>{reason}</li>
          ))}
        </ul>
      )}
    </Pop>
  )
}
