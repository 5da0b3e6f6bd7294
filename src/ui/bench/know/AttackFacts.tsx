import { useEffect, useRef, useState } from 'react'
import type { Knowledge } from '../../../core'
import { editedAttacks, type Source } from '../../../session'
import { countedText } from '../../common/formats'
import { Pop } from '../../common/Pop'
import { NumberField } from '../../fields/NumberField'
import { setAttacks } from '../../session/edits'
import { findAttacks } from '../../session/know/attacks'

const USUAL_PERCENT = 50
const PAUSE_MS = 250

/** How many attacks there are; it opens how keen the ear for them is, and lets them all go. */
export function AttackFacts({ source, found }: { source: Source; found: Knowledge }) {
  const [percent, setPercent] = useState(USUAL_PERCENT)
  const [searching, setSearching] = useState(false)
  const pause = useRef<ReturnType<typeof setTimeout> | undefined>(undefined)
  useEffect(() => () => clearTimeout(pause.current), [])
  const count = editedAttacks(source, found.attacks).length
  const listen = (next: number, gesture: string) => {
    setPercent(next)
    clearTimeout(pause.current)
    pause.current = setTimeout(() => {
      setSearching(true)
      void findAttacks(source, next / 100, gesture).finally(() => setSearching(false))
    }, PAUSE_MS)
  }
  return (
    <Pop
      label="Attacks"
      title="How keenly they are listened for; clear all"
      width={300}
      trigger={
        <>
          {countedText(count, 'attack')}
          {source.hand.attacks && <span className="caption"> by hand</span>}
        </>
      }
    >
      <div className="flex items-end justify-between gap-4">
        <span className="flex flex-col gap-1">
          <span className="caption">Sensitivity</span>
          <NumberField
            label="Sensitivity for attacks"
            unit="%"
            width="2.6em"
            value={percent}
            digits={0}
            min={0}
            max={100}
            step={5}
            onChange={listen}
            onReset={() => {
              setPercent(USUAL_PERCENT)
              setAttacks(source.id, undefined)
            }}
          />
        </span>
        <span role="status" className="caption">
          {searching ? 'listening' : countedText(count, 'attack')}
        </span>
      </div>
      <p className="caption mt-2">
        More takes faint starts for attacks too, less only what is sudden. It takes the place of what was added or taken
        away by hand.
      </p>
      <div className="mt-2 -ml-2.5 flex gap-1">
        <button type="button" className="plain-button" disabled={count === 0} onClick={() => setAttacks(source.id, [])}>
          Clear all
        </button>
        <button
          type="button"
          className="plain-button"
          disabled={!source.hand.attacks}
          onClick={() => {
            setPercent(USUAL_PERCENT)
            setAttacks(source.id, undefined)
          }}
        >
          As found
        </button>
      </div>
    </Pop>
  )
}
