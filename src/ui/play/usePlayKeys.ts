import { useEffect } from 'react'
import { KEYS_ID } from '../../session'
import { letPlaceGo, runPlace } from '../session/play/hand'
import { letGo, strike } from '../session/play/hands'
import { beginPick, endPick, markPick } from '../session/play/picks'
import { beginRound, endRound, takeBackRound } from '../session/play/rounds'
import { beginTake, endTake } from '../session/play/takes'
import { setOutlook } from '../session/state/outlook'
import { selectedSource, store } from '../session/state/store'
import { letterKey } from './letters'

/** A text that is being written keeps its keys; so does a list, and a number that is typed. */
const writes = ({ target }: KeyboardEvent) =>
  target instanceof HTMLElement &&
  (target.tagName === 'SELECT' || (target.tagName === 'INPUT' && (target as HTMLInputElement).type !== 'checkbox'))

const padOf = (event: KeyboardEvent) => {
  const digit = /^Digit(\d)$/.exec(event.code)?.[1]
  if (digit === undefined || event.altKey || event.ctrlKey || event.metaKey) return undefined
  const place = ((Number(digit) + 9) % 10) + (event.shiftKey ? 10 : 0)
  return store.getState().history.present.picks[place]
}

/**
 * Keys that play. They are heard before all others, and what they play is let go with them: digits strike pads, letters
 * strike keys where that is switched on, brackets mark picks.
 */
export function usePlayKeys() {
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (writes(event) || event.ctrlKey || event.metaKey) return
      const act = () => {
        event.preventDefault()
        event.stopImmediatePropagation()
      }
      const pad = padOf(event)
      if (pad) {
        act()
        if (!event.repeat) {
          strike(event.code, pad.id)
          // the ear goes first
          requestAnimationFrame(() => setOutlook({ pick: pad.id }))
        }
        return
      }
      const { outlook, taking, round } = store.getState()
      const letter = outlook.lettersPlay && !event.altKey && !event.shiftKey ? letterKey(event.code) : undefined
      if (letter !== undefined) {
        act()
        if (!event.repeat) strike(event.code, KEYS_ID, outlook.lettersFrom + letter)
        return
      }
      const way = outlook.hand.on && !event.altKey ? { ArrowLeft: false, ArrowRight: true }[event.key] : undefined
      const here = selectedSource(store.getState())
      if (way !== undefined && here) {
        act()
        if (!event.repeat) runPlace(here, way)
        return
      }
      if (event.repeat) return
      const onButton =
        event.target instanceof HTMLElement && event.target.closest('button, [role="slider"], a') !== null
      if (event.key === '[') beginPick()
      else if (event.key === ']') endPick()
      else if (event.key === 'Enter' && !onButton) markPick()
      else if (event.key === 'h') setOutlook({ hand: { ...outlook.hand, on: !outlook.hand.on } })
      else if (event.key === 'F2') setOutlook({ lettersPlay: !outlook.lettersPlay })
      else if (event.key === 'F3') (taking ? endTake : beginTake)()
      else if (event.key === 'F4') round ? endRound() : void beginRound()
      else if (event.key === 'Backspace' && round) takeBackRound()
      else return
      act()
    }
    const up = (event: KeyboardEvent) => {
      letGo(event.code)
      if (event.key === 'ArrowLeft' || event.key === 'ArrowRight') letPlaceGo()
    }
    window.addEventListener('keydown', down, true)
    window.addEventListener('keyup', up, true)
    return () => {
      window.removeEventListener('keydown', down, true)
      window.removeEventListener('keyup', up, true)
    }
  }, [])
}
