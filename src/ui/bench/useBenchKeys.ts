import { useHotkeys } from 'react-hotkeys-hook'
import { redo, setSelection, undo } from '../session/edits'
import { hearLane, playback, seek, togglePlay } from '../session/listening'
import { setOutlook } from '../session/outlook'
import { selectedSource, store } from '../session/store'
import { moveView } from './lanes/Lanes'

/** Keys that hold everywhere but in a text. Space, digits and the like also reach past a focused button. */
export function useBenchKeys() {
  const source = () => selectedSource(store.getState())
  const options = { preventDefault: true, ignoreModifiers: false } as const

  useHotkeys('space', () => togglePlay(), { ...options, enableOnFormTags: ['SELECT'] })
  useHotkeys('0,1,2,3,4,5,6,7,8,9', (event) => hearLane(Number(event.key)), { ...options, useKey: true })
  useHotkeys('mod+z', () => undo(), options)
  useHotkeys('mod+shift+z,mod+y', () => redo(), options)
  useHotkeys('l', () => setOutlook((outlook) => ({ looping: !outlook.looping })), options)
  useHotkeys('escape', () => {
    const current = source()
    if (current?.selection) setSelection(current.id, undefined)
  })
  const view = (how: Parameters<typeof moveView>[1]) => {
    const current = source()
    if (current) moveView(current, how)
  }
  useHotkeys('+,=,shift+=,shift++', () => view({ zoom: 1.5 }), {
    ...options,
    useKey: true,
    splitKey: '§',
    delimiter: ',',
  })
  useHotkeys('-', () => view({ zoom: 1 / 1.5 }), { ...options, useKey: true })
  useHotkeys('f', () => view({ fit: true }), options)
  useHotkeys('left', () => view({ scroll: -0.2 }), options)
  useHotkeys('right', () => view({ scroll: 0.2 }), options)
  const nudge = (seconds: number) => {
    const rate = source()?.facts?.sampleRate
    if (rate) seek(playback.sourceFrame() + seconds * rate)
  }
  useHotkeys('shift+left', () => nudge(-0.1), options)
  useHotkeys('shift+right', () => nudge(0.1), options)
  useHotkeys('home', () => seek(0), options)
}
