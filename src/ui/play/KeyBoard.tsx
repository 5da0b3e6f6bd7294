import type { PointerEvent } from 'react'
import { naturalRange } from '../../core'
import { KEYS_ID, type Keys, kindOf, type Source } from '../../session'
import { knowledgeOf } from '../session/know/knowledge'
import { letGo, strike } from '../session/play/hands'
import { useSession } from '../session/state/store'
import { rangeMeasured } from '../session/try/sweeps'
import { LETTER_ROWS } from './letters'

const LOWEST = 24
const HIGHEST = 96
const BETWEEN = new Set([1, 3, 6, 8, 10])

/**
 * All keys as a rule of semitones, each as wide as the other: how far a key is from the root is seen at once, and up to
 * where this sound stays natural.
 */
export function KeyBoard({
  source,
  keys,
  root,
}: {
  readonly source: Source
  readonly keys: Keys
  readonly root: number
}) {
  const struck = useSession((state) => state.struck)
  const ready = useSession((state) => state.readyInstruments.has(KEYS_ID))
  const measured = useSession((state) => rangeMeasured(state, source))
  const found = useSession((state) => knowledgeOf(state, source))
  const { lettersPlay, lettersFrom } = useSession((state) => state.outlook)
  const range = naturalRange(kindOf(source, found).kind ?? 'unsure', measured)
  const letters = new Map<number, string>()
  if (lettersPlay)
    for (const [row, codes] of LETTER_ROWS.entries())
      codes.forEach(({ letter }, n) => {
        letters.set(lettersFrom + 5 * row + n, letter)
      })
  const keyAt = (event: PointerEvent) => {
    const cell = document.elementFromPoint(event.clientX, event.clientY)?.closest('[data-key]')
    return cell ? Number(cell.getAttribute('data-key')) : undefined
  }
  const hit = (event: PointerEvent) => {
    const key = keyAt(event)
    if (key === undefined) return
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
    strike(`keys ${event.pointerId}`, KEYS_ID, key, Math.max(0.25, (event.clientY - box.top) / box.height))
  }
  return (
    <div className="flex flex-col gap-1">
      <div
        role="group"
        aria-label="Keys"
        aria-busy={!ready}
        className="flex h-[58px] touch-none border border-rule bg-well select-none"
        onPointerDown={(event) => {
          if (event.button !== 0) return
          event.currentTarget.setPointerCapture(event.pointerId)
          hit(event)
        }}
        onPointerMove={(event) => {
          if (event.buttons !== 1) return
          const key = keyAt(event)
          if (key !== undefined && !struck.has(`key ${key}`)) hit(event)
        }}
        onPointerUp={(event) => letGo(`keys ${event.pointerId}`)}
        onPointerCancel={(event) => letGo(`keys ${event.pointerId}`)}
      >
        {Array.from({ length: HIGHEST - LOWEST + 1 }, (_, n) => {
          const key = LOWEST + n
          const away = Math.abs(key - root)
          const strain = keys.length === 'tape' ? 0 : away <= range.naturalPitch ? 0 : away <= range.slightPitch ? 1 : 2
          const isRoot = Math.round(root) === key
          const within = ((key % 12) + 12) % 12
          const held = struck.has(`key ${key}`)
          return (
            <span
              key={key}
              data-key={key}
              data-strain={strain}
              className={`key-cell relative flex flex-1 items-end justify-center border-l text-[10px] ${within === 0 ? 'border-edge' : 'border-transparent'} ${held ? '!bg-tide' : BETWEEN.has(within) ? 'bg-ground' : 'bg-deck'}`}
            >
              {isRoot && <span className="absolute top-1 h-2 w-2 rounded-full bg-tide" />}
              <span className={held ? 'text-ground' : 'text-soft'}>
                {letters.get(key) ?? (within === 0 ? `C${key / 12 - 1}` : '')}
              </span>
            </span>
          )
        })}
      </div>
      <p className="flex flex-wrap items-center gap-x-4 text-[11.5px] text-soft">
        <span className="inline-flex items-center gap-1.5">
          <span className="h-2 w-2 rounded-full bg-tide" /> root
        </span>
        <span className="inline-flex items-center gap-1.5">
          <i className="key-cell h-3 w-4 border border-rule" data-strain={1} /> slightly strained
        </span>
        <span className="inline-flex items-center gap-1.5">
          <i className="key-cell h-3 w-4 border border-rule" data-strain={2} /> unnatural
        </span>
        <span>
          natural ± {range.naturalPitch} st,{' '}
          {range.from === 'measured' ? 'measured on this sound' : 'usual for its kind: a pitch sweep measures it'}
        </span>
        {!ready && <span className="text-tide">getting ready</span>}
      </p>
    </div>
  )
}
