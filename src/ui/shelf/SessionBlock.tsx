import { useState } from 'react'
import { isOneLength, isUntuned, MOST_KIN, type Source } from '../../session'
import { KeySelect } from '../common/KeySelect'
import { NumberField } from '../fields/NumberField'
import { markKin, transpose } from '../session/acts'
import { dropKin, setSessionBpm, setSessionKey } from '../session/edits'
import { notify } from '../session/state/notices'
import { useSession } from '../session/state/store'

/** What all sources can be brought to: one tempo, one key; and several transposed at once. */
export function SessionBlock({ chosen }: { chosen: readonly string[] }) {
  const session = useSession((state) => state.history.present)
  const knowledge = useSession((state) => state.knowledge)
  const [semitones, setSemitones] = useState(1)
  const following = session.sources.filter(({ follows }) => follows.tempo).length
  const some = session.sources.filter(({ id }) => chosen.includes(id))
  const tuned = some.filter((source) => !isUntuned(source, knowledge[source.id]))

  return (
    <section aria-label="Session" className="shrink-0 border-t border-rule px-4 py-2.5">
      <div className="flex items-end justify-between">
        <span className="flex flex-col gap-0.5">
          <span className="caption">Session tempo{following > 0 && ` · ${following} follow`}</span>
          <NumberField
            label="Session tempo"
            unit="BPM"
            width="3.4em"
            value={session.bpm}
            digits={2}
            min={10}
            max={999}
            step={1}
            onChange={setSessionBpm}
            onReset={() => setSessionBpm(96)}
          />
        </span>
        <span className="flex flex-col gap-0.5">
          <span className="caption">and key</span>
          <KeySelect label="Session key" none="none" value={session.key} onChange={setSessionKey} />
        </span>
      </div>
      {some.length > 1 && (
        <div
          className="mt-2 flex items-center gap-1.5 border-t border-rule pt-2"
          role="group"
          aria-label="Several sources"
        >
          <NumberField
            label="Semitones for all chosen"
            unit="st"
            signed
            width="2em"
            value={semitones}
            digits={0}
            min={-24}
            max={24}
            step={1}
            onChange={(next) => setSemitones(Math.round(next))}
            onReset={() => setSemitones(1)}
          />
          <button
            type="button"
            className="plain-button !px-1.5 !text-tide"
            disabled={tuned.length === 0 || semitones === 0}
            onClick={() => {
              const { moved, left } = transpose(chosen, semitones)
              notify({
                tone: 'plain',
                text: `${moved} transposed by ${semitones > 0 ? '+' : '−'}${Math.abs(semitones)} st${left.length > 0 ? `; left as they are, untuned: ${left.join(', ')}` : ''}`,
                undo: true,
              })
            }}
          >
            Transpose {tuned.length} of {some.length}
          </button>
        </div>
      )}
      {some.length > 1 && <KinButton sources={some} />}
    </section>
  )
}

/** Sources that are chosen together, said to be recorded together: the selected one leads. */
function KinButton({ sources }: { readonly sources: readonly Source[] }) {
  const selectedId = useSession((state) => state.outlook.selectedId)
  const ids = sources.map(({ id }) => id)
  const areKin = sources.every(({ kin }) => kin && kin.length === ids.length && ids.every((id) => kin.includes(id)))
  const canBe = isOneLength(sources) && sources.length <= MOST_KIN
  return (
    <div className="mt-1">
      <button
        type="button"
        className="plain-button !px-1.5 !text-tide"
        disabled={!areKin && !canBe}
        title={
          canBe
            ? 'Several microphones on one performance: one timing for all, to the frame'
            : 'Only sounds of one length and rate can be timed as one'
        }
        onClick={() => {
          if (areKin) dropKin(ids)
          else
            markKin(
              ids.includes(selectedId ?? '') ? [selectedId as string, ...ids.filter((id) => id !== selectedId)] : ids,
            )
        }}
      >
        {areKin ? 'No longer together' : `Recorded together: ${ids.length} as one`}
      </button>
    </div>
  )
}
