const KEYS: readonly (readonly [string, string])[] = [
  ['Space', 'play, stop, also in a number'],
  ['0', 'hear the reference'],
  ['1 – 9', 'hear a variant'],
  ['+  −', 'zoom'],
  ['←  →', 'scroll; with Shift: move the playhead'],
  ['F', 'see all, see the selection'],
  ['E', 'export the variant that was heard last'],
  ['L', 'loop on, off'],
  ['M', 'a cue at the playhead; with a film, a mark on its picture'],
  ['N', 'next place of harm; with Shift: the one before'],
  ['I', 'lanes in turn, one each time round'],
  ['V  A  B', 'vote in a blind comparison'],
  ['S', 'spectrograms in the lanes'],
  ['D', 'how they differ from the reference'],
  ['B  W  T  P', 'bench, sweep, timeline, play'],
  ['O', 'export'],
  ['K', 'click over the source'],
  ['T', 'tap, while the tempo is open'],
  ['Enter', 'timeline: lay the source at the playhead'],
  ['X  C', 'timeline: split, copy what is chosen'],
  ['←  →', 'timeline: move what is chosen; Shift: a bar; Alt: a hair'],
  ['1 – 0', 'in Play: strike a pad; with Shift: the next ten'],
  ['[  ]', 'in Play: a pick begins, ends; Enter: either'],
  ['Alt 1 – 9', 'in Play: what is on the strip'],
  ['H', 'in Play: lead the sound by hand; held ← → run it'],
  ['F2  F3', 'in Play: letters play keys; record a take'],
  ['F4', 'in Play: overdub; Backspace: last time round back'],
  ['Enter', 'in Found: take in'],
  ['Ctrl Click', 'choose several sources'],
  ['Esc', 'drop the selection'],
  ['F1', 'the guide'],
  ['Ctrl S', 'save the session as a file'],
  ['Ctrl O', 'open a session file'],
  ['Ctrl C  V', 'copy the recipe that is heard; try it on another source'],
  ['Ctrl Z', 'undo; with Shift: redo'],
  ['↑  ↓', 'in a number: change it; on the shelf: walk and hear'],
]

export function KeyList() {
  return (
    <div className="relative shrink-0 border-t border-rule">
      <details className="group">
        <summary className="caption px-4 py-2.5 hover:text-text">Keys</summary>
        <dl className="grid grid-cols-[62px_1fr] gap-y-1 px-4 pb-3 text-[12px]">
          {KEYS.map(([key, what]) => (
            <div key={key} className="contents">
              <dt className="font-[620]">{key}</dt>
              <dd className="text-soft">{what}</dd>
            </div>
          ))}
        </dl>
      </details>
      <a
        href="/guide/"
        target="_blank"
        rel="noreferrer"
        className="caption absolute top-0 right-0 px-4 py-2.5 hover:text-text"
        title="Zumbet in ten minutes, in a window of its own (F1)"
      >
        Guide
      </a>
    </div>
  )
}
