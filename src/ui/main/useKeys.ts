import { useEffect } from 'react'
import { useHotkeys } from 'react-hotkeys-hook'
import { REFERENCE } from '../../session'
import { marksOf } from '../bench/harm/marks'
import { setDisplay } from '../bench/lanes/DisplayMenu'
import { moveView } from '../bench/lanes/Lanes'
import { redo, undo } from '../session/acts'
import { cueHere } from '../session/cues'
import { setSelection } from '../session/edits'
import { exportHeard } from '../session/exporting/quick'
import { markHere } from '../session/film/slots'
import { hearLane, playback, seek, togglePlay } from '../session/hear/listening'
import { hearPlace } from '../session/hear/places'
import { saveSession } from '../session/keep/sessionFile'
import { recipeTextOf, tryRecipeText } from '../session/recipes'
import { notify } from '../session/state/notices'
import { setOutlook } from '../session/state/outlook'
import { chosenVariant, selectedSource, store, useSession } from '../session/state/store'
import { toggleMix } from '../session/timeline/mixing'
import { hearHidden, voteByKey } from '../session/try/blind'
import { showView } from '../session/views'
import { useTimelineKeys } from '../timeline/useTimelineKeys'

/** Whether keys belong to a text that is being written: a name, but not a number or a list. */
function writes(event: KeyboardEvent): boolean {
  const { target } = event
  return target instanceof HTMLInputElement && target.type === 'text' && target.getAttribute('role') !== 'spinbutton'
}

const isNumber = (event: KeyboardEvent) => (event.target as HTMLElement | null)?.getAttribute?.('role') === 'spinbutton'

/** The next place of harm in the variant that is heard, or the one before, from where the loop is. */
function hearNext(step: 1 | -1) {
  const state = store.getState()
  const source = selectedSource(state)
  const variant = source && chosenVariant(state, source)
  if (!source || !variant || state.blind) return
  const marks = marksOf(state.trials[variant.id]?.trial?.measurement.artefacts ?? [])
  const here = source.selection
    ? (source.selection.start + source.selection.end) / 2
    : step > 0
      ? -1
      : Number.POSITIVE_INFINITY
  const reach = 0.1 * (source.facts?.sampleRate ?? 48_000)
  const beyond = marks.filter(({ start, end }) => {
    const middle = (start + end) / 2
    return step > 0 ? middle > here + reach : middle < here - reach
  })
  const next = step > 0 ? beyond[0] : beyond.at(-1)
  if (next) hearPlace(source, variant, next)
}

/** Copying and pasting, where no text is meant, is about recipes. */
function useRecipeClipboard() {
  useEffect(() => {
    const isText = ({ target }: ClipboardEvent) =>
      target instanceof HTMLInputElement ||
      target instanceof HTMLTextAreaElement ||
      !document.getSelection()?.isCollapsed
    const isMeant = (event: ClipboardEvent) =>
      !isText(event) && ['bench', 'play', 'sweep'].includes(store.getState().outlook.view) && !store.getState().blind
    const copy = (event: ClipboardEvent) => {
      const state = store.getState()
      const source = selectedSource(state)
      const variant = source && chosenVariant(state, source)
      if (!source || !variant || !isMeant(event)) return
      event.preventDefault()
      event.clipboardData?.setData('text/plain', recipeTextOf(source, variant))
      notify({ tone: 'plain', text: `The recipe of ${variant.letter} is copied: Ctrl V tries it on another source` })
    }
    const paste = (event: ClipboardEvent) => {
      const source = selectedSource(store.getState())
      const text = event.clipboardData?.getData('text/plain') ?? ''
      if (!source || !isMeant(event) || !text.trimStart().startsWith('{')) return
      event.preventDefault()
      tryRecipeText(source, text, 'What was pasted')
    }
    document.addEventListener('copy', copy)
    document.addEventListener('paste', paste)
    return () => {
      document.removeEventListener('copy', copy)
      document.removeEventListener('paste', paste)
    }
  }, [])
}

/** Keys that hold everywhere but in a text. The timeline has some of its own in place of the bench's. */
export function useKeys() {
  const isTimeline = useSession((state) => state.outlook.view === 'timeline')
  useTimelineKeys(isTimeline)
  useRecipeClipboard()
  const source = () => selectedSource(store.getState())
  const display = () => store.getState().outlook.display
  const plain = { preventDefault: true, enabled: !isTimeline } as const
  const always = { preventDefault: true } as const
  // past a focused list or tick too: what they would do with the key is worth less than what the bench does
  const pastFields = {
    enableOnFormTags: true,
    ignoreEventWhen: (event: KeyboardEvent) => writes(event) || isNumber(event),
  }
  const onLists = { ...plain, ...pastFields }
  const onViews = { ...always, ...pastFields }
  const onAll = { ...always, enableOnFormTags: true, ignoreEventWhen: writes } as const

  useHotkeys('space', () => (isTimeline ? toggleMix() : togglePlay()), onAll)
  useHotkeys('f1', () => void window.open('/guide/', '_blank', 'noreferrer'), onAll)
  useHotkeys('mod+s', () => void saveSession(), onAll)
  useHotkeys('mod+o', () => document.getElementById('session-file')?.click(), onAll)
  useHotkeys('mod+z', () => undo(), onAll)
  useHotkeys('mod+shift+z,mod+y', () => redo(), onAll)
  useHotkeys(
    '0,1,2,3,4,5,6,7,8,9',
    (event) => (store.getState().blind ? hearHidden(Number(event.key) - 1) : hearLane(Number(event.key))),
    { ...onLists, useKey: true },
  )
  useHotkeys('b', () => (store.getState().blind ? voteByKey('b') : showView('bench')), onViews)
  useHotkeys('a,v,up,down', ({ key }) => voteByKey(key.length === 1 ? key.toLowerCase() : key), {
    enabled: !isTimeline,
  })
  useHotkeys('w', () => showView('sweep'), onViews)
  useHotkeys('t', () => showView('timeline'), onViews)
  useHotkeys('p', () => showView('play'), onViews)
  useHotkeys('o', () => showView('export'), onViews)
  // in Play digits strike pads
  useHotkeys(
    'alt+0,alt+1,alt+2,alt+3,alt+4,alt+5,alt+6,alt+7,alt+8,alt+9',
    ({ code }) => hearLane(Number(code.replace('Digit', ''))),
    onLists,
  )
  useHotkeys(
    's',
    () => setDisplay({ show: display().show === 'waveform' ? 'spectrogram' : 'waveform', against: undefined }),
    onLists,
  )
  useHotkeys(
    'd',
    () => setDisplay(display().against ? { against: undefined } : { against: REFERENCE, show: 'spectrogram' }),
    onLists,
  )
  useHotkeys('e', () => exportHeard(), onLists)
  useHotkeys('m', () => void (markHere(source()) || cueHere(source())), onLists)
  useHotkeys('l', () => setOutlook((outlook) => ({ looping: !outlook.looping })), onLists)
  useHotkeys('i', () => setOutlook((outlook) => ({ turns: !outlook.turns, looping: true })), onLists)
  useHotkeys('n', () => hearNext(1), onLists)
  useHotkeys('shift+n', () => hearNext(-1), onLists)
  useHotkeys(
    'k',
    () => setOutlook(({ click }) => ({ click: click === 'off' ? 'beats' : click === 'beats' ? 'eighths' : 'off' })),
    onLists,
  )
  useHotkeys(
    'escape',
    () => {
      const current = source()
      if (current?.selection) setSelection(current.id, undefined)
    },
    { ignoreEventWhen: isNumber, enabled: !isTimeline },
  )
  const view = (how: Parameters<typeof moveView>[1]) => {
    const current = source()
    if (current && store.getState().outlook.view === 'bench') moveView(current, how)
  }
  useHotkeys('+,=,shift+=,shift++', () => view({ zoom: 1.5 }), {
    ...onLists,
    useKey: true,
    splitKey: '§',
    delimiter: ',',
  })
  useHotkeys('-', () => view({ zoom: 1 / 1.5 }), { ...onLists, useKey: true })
  useHotkeys('f', () => view({ fit: true }), onLists)
  useHotkeys('left', () => view({ scroll: -0.2 }), plain)
  useHotkeys('right', () => view({ scroll: 0.2 }), plain)
  const nudge = (seconds: number) => {
    const rate = source()?.facts?.sampleRate
    if (rate) seek(playback.sourceFrame() + seconds * rate)
  }
  useHotkeys('shift+left', () => nudge(-0.1), plain)
  useHotkeys('shift+right', () => nudge(0.1), plain)
  useHotkeys('home', () => seek(0), plain)
}
