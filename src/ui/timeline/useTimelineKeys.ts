import { useHotkeys } from 'react-hotkeys-hook'
import { setOutlook } from '../session/state/outlook'
import { store } from '../session/state/store'
import {
  choose,
  chosenParts,
  copyChosen,
  hereOf,
  layHere,
  nudge,
  removeChosen,
  snapBeats,
  splitHere,
  switchVariant,
} from '../session/timeline/acts'
import { goToBeat, goToNeighbour, timelineOf } from '../session/timeline/mixing'
import { scrolledBeats, zoomedBeats } from './geometry'
import { fitBeats, setBeats } from './TimelineView'

const state = () => store.getState()

/** One step along the bars: what parts snap to, a bar with Shift, a hair with Alt. */
function stepOf({ shiftKey, altKey }: KeyboardEvent): number {
  const here = state()
  if (altKey) return 1 / 64
  const { beatsPerBar } = timelineOf(here).metre.barAt(hereOf(here))
  if (shiftKey || here.outlook.snap === 'bar') return beatsPerBar
  return snapBeats(here.outlook.snap) || 0.25
}

/** a list, a choice or a handle that has the focus leaves letters and numbers to the timeline */
const LISTS = ['SELECT', 'radio', 'slider'] as const

/** Keys of the timeline. Arrows move what is chosen, else the playhead. */
export function useTimelineKeys(enabled: boolean) {
  const plain = { enabled, preventDefault: true } as const
  const onLists = { ...plain, enableOnFormTags: LISTS }
  useHotkeys('enter', () => layHere(), {
    ...plain,
    // a button that has the focus is pressed by it
    ignoreEventWhen: ({ target }) =>
      target instanceof HTMLElement && target.closest('button, a, [role="menu"]') !== null,
  })
  useHotkeys('1,2,3,4,5,6,7,8,9', ({ key }) => switchVariant(Number(key) - 1), { ...onLists, useKey: true })
  useHotkeys('delete,backspace', () => removeChosen(), plain)
  useHotkeys('x', () => splitHere(), onLists)
  useHotkeys('c', () => copyChosen(), onLists)
  useHotkeys('n', () => goToNeighbour(1), onLists)
  useHotkeys('shift+n', () => goToNeighbour(-1), onLists)
  useHotkeys('k', () => setOutlook(({ mixClick }) => ({ mixClick: !mixClick })), onLists)
  useHotkeys('mod+a', () => choose(state().history.present.parts.map(({ id }) => id)), plain)
  useHotkeys('escape', () => choose([]), plain)
  useHotkeys('home', () => goToBeat(0), plain)
  const along = (sign: 1 | -1) => (event: KeyboardEvent) => {
    const by = sign * stepOf(event)
    if (chosenParts(state()).length > 0) nudge(by, `nudge-${state().outlook.parts.join()}`)
    else goToBeat(hereOf(state()) + by)
  }
  useHotkeys('left,shift+left,alt+left', along(-1), plain)
  useHotkeys('right,shift+right,alt+right', along(1), plain)
  const around = () => hereOf(state())
  useHotkeys('+,=,shift+=,shift++', () => setBeats((view) => zoomedBeats(view, 1.5, around())), {
    ...onLists,
    useKey: true,
    splitKey: '§',
    delimiter: ',',
  })
  useHotkeys('-', () => setBeats((view) => zoomedBeats(view, 1 / 1.5, around())), { ...onLists, useKey: true })
  useHotkeys('f', () => fitBeats(), onLists)
  useHotkeys('pageup', () => setBeats((view) => scrolledBeats(view, -0.8)), plain)
  useHotkeys('pagedown', () => setBeats((view) => scrolledBeats(view, 0.8)), plain)
}
