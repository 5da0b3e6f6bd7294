import { X } from 'lucide-react'
import type { Source } from '../../../session'
import { keyText } from '../../../session/notesFile'
import { countedText } from '../../common/formats'
import { IconButton } from '../../common/IconButton'
import { NamedPlace } from '../../common/NamedPlace'
import { Pop } from '../../common/Pop'
import { NumberField } from '../../fields/NumberField'
import { asInFile, cueHere, dropCue, dropLoop, loopSelection, markersNow, nameCue, setRoot } from '../../session/cues'
import { seek } from '../../session/hear/listening'
import { useSession } from '../../session/state/store'

/** What goes along in every file that is made: cues, loops, the root. */
export function CueFacts({ source }: { readonly source: Source }) {
  const { cues, loops, rootNote } = useSession((state) => markersNow(state, source))
  const rate = source.facts?.sampleRate ?? 48_000
  const offset = source.range?.start ?? 0
  const secondsOf = (frame: number) => (frame / rate).toFixed(3)
  return (
    <Pop
      label="Cues and loops"
      title="Cues, loops and root that go along in every file"
      width={340}
      trigger={
        <>
          {cues.length + loops.length === 0
            ? 'no cues'
            : [
                cues.length > 0 && countedText(cues.length, 'cue'),
                loops.length > 0 && countedText(loops.length, 'loop'),
              ]
                .filter(Boolean)
                .join(', ')}
          {source.hand.markers && <span className="caption"> by hand</span>}
        </>
      }
    >
      <div className="flex flex-col gap-2 text-[12.5px]">
        <div className="-ml-2.5 flex gap-1">
          <button
            type="button"
            className="plain-button !text-tide"
            title="A cue at the playhead (M)"
            onClick={() => cueHere(source)}
          >
            Cue here
          </button>
          <button
            type="button"
            className="plain-button !text-tide"
            disabled={!source.selection}
            title={source.selection ? 'What is selected, as a loop of the file' : 'Select something in the lanes first'}
            onClick={() => loopSelection(source)}
          >
            Loop of the selection
          </button>
          <button
            type="button"
            className="plain-button ml-auto"
            disabled={!source.hand.markers}
            onClick={() => asInFile(source)}
          >
            As in its file
          </button>
        </div>
        {cues.length + loops.length > 0 && (
          <ul aria-label="Cues and loops of the file" className="max-h-[180px] overflow-y-auto">
            {cues.map(({ frame, label }) => (
              <NamedPlace
                key={frame}
                at={`${secondsOf(frame)} s`}
                name={label}
                says={{
                  go: `Go to the cue at ${secondsOf(frame)} s`,
                  name: `Name of the cue at ${secondsOf(frame)} s`,
                  remove: `Remove the cue at ${secondsOf(frame)} s`,
                }}
                onGo={() => seek(Math.max(0, frame - offset))}
                onName={(name) => nameCue(source, frame, name)}
                onRemove={() => dropCue(source, frame)}
              />
            ))}
            {loops.map(({ startFrame, endFrame }, n) => (
              <li key={`loop ${startFrame} ${endFrame}`} className="flex items-center gap-1.5">
                <span className="flex-1 px-1 leading-6 tabular-nums">
                  loop {secondsOf(startFrame)} to {secondsOf(endFrame)} s
                </span>
                <IconButton
                  label={`Remove the loop at ${secondsOf(startFrame)} s`}
                  onClick={() => dropLoop(source, n)}
                  icon={<X size={13} />}
                />
              </li>
            ))}
          </ul>
        )}
        <div className="flex items-baseline gap-2">
          <span className="caption">Root</span>
          <NumberField
            label="Root of the file"
            width="2.6em"
            value={rootNote}
            placeholder="none"
            digits={0}
            min={0}
            max={127}
            step={1}
            onChange={(root, gesture) => setRoot(source, root, gesture)}
            onReset={() => setRoot(source, undefined)}
          />
          {rootNote !== undefined && <span className="text-soft">{keyText(rootNote)}</span>}
        </div>
        <p className="caption">They lie in every file that is made, at the places that they come to there.</p>
      </div>
    </Pop>
  )
}
