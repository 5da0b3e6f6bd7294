import { useState } from 'react'
import { isUntuned, keyMoved, keyText, tempoRatioTo } from '../../session'
import { countedText } from '../common/formats'
import { Pop } from '../common/Pop'
import { NumberField } from '../fields/NumberField'
import { tell } from '../session/state/notices'
import { useSession } from '../session/state/store'
import { changeWholeSet } from '../session/timeline/edits'

/** The whole set at another tempo, in another key, in one step. */
export function WholeSet() {
  const session = useSession((state) => state.history.present)
  return (
    <Pop label="Whole set" title="All that lies here at another tempo, in another key" width={330} trigger="Whole set…">
      {session.parts.length === 0 ? <p className="caption">Nothing lies on the timeline yet.</p> : <Change />}
    </Pop>
  )
}

function Change() {
  const session = useSession((state) => state.history.present)
  const knowledge = useSession((state) => state.knowledge)
  const now = session.tempoLine[0]?.bpm ?? session.bpm
  const [wish, setWish] = useState<{ readonly bpm?: number; readonly semitones: number }>({ semitones: 0 })
  const bpm = wish.bpm ?? now
  const { semitones } = wish
  const isRamp = session.tempoLine.length > 1 || session.sections.some((section) => section.bpm !== undefined)
  const used = session.sources.filter(({ id }) => session.parts.some(({ source }) => source === id))
  const untuned = used.filter((source) => isUntuned(source, knowledge[source.id]))
  const moved = session.parts.filter(({ source }) => !untuned.some(({ id }) => id === source))
  const key = session.key && keyMoved(session.key, semitones)
  const inSeconds = session.parts.filter(({ lock }) => lock === 'seconds').length
  return (
    <div className="flex flex-col gap-3 text-[12.5px]">
      <div className="flex items-baseline gap-2">
        <span className="caption w-[52px]">Tempo</span>
        <NumberField
          label="Tempo of the set"
          unit="BPM"
          width="3.6em"
          value={bpm}
          digits={2}
          min={5}
          max={1000}
          step={1}
          onChange={(next) => setWish({ ...wish, bpm: next })}
          onReset={() => setWish({ semitones })}
        />
        <span className="text-soft">
          {bpm === now ? 'as it is' : `× ${(bpm / now).toFixed(3)}`}
          {isRamp && bpm !== now && ', its ramps alike'}
        </span>
      </div>
      <div className="flex items-baseline gap-2">
        <span className="caption w-[52px]">Key</span>
        <NumberField
          label="Semitones for the set"
          unit="st"
          width="3.6em"
          value={semitones}
          digits={2}
          min={-24}
          max={24}
          step={1}
          signed
          onChange={(next) => setWish({ ...wish, semitones: next })}
          onReset={() => setWish({ ...wish, semitones: 0 })}
        />
        <span className="text-soft">
          {semitones === 0 ? 'as it is' : countedText(moved.length, 'part')}
          {semitones !== 0 && key && Number.isInteger(semitones) && `, to ${keyText(key)}`}
        </span>
      </div>
      <p className="caption">
        {untuned.length > 0 && `Without a note, their pitch stays: ${untuned.map(({ name }) => name).join(', ')}. `}
        {inSeconds > 0 && `Locked to seconds, as long as before: ${countedText(inSeconds, 'part')}.`}
      </p>
      <button
        type="button"
        className="solid-button self-end"
        disabled={bpm === now && semitones === 0}
        onClick={() => {
          try {
            changeWholeSet({ tempoRatio: tempoRatioTo(session, bpm), semitones })
            setWish({ semitones: 0 })
          } catch (error) {
            tell(error)
          }
        }}
      >
        Change the set
      </button>
    </div>
  )
}
