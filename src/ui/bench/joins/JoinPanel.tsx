import { Brush, X } from 'lucide-react'
import { methodById, planOf } from '../../../core'
import { partFacts, partStart, recipeOf, runsOf, type Source, type Variant, variantLike } from '../../../session'
import { LaneBadge } from '../../common/LaneBadge'
import { Progress } from '../../common/Progress'
import { NumberField } from '../../fields/NumberField'
import { Select } from '../../fields/Select'
import { seek } from '../../session/hear/listening'
import {
  cancelJoining,
  dropRun,
  joinable,
  joinByMeasure,
  joiningKey,
  moveRun,
  setRunLane,
  togglePainting,
} from '../../session/joins'
import { useSession } from '../../session/state/store'

/** What a joined lane is joined of: each run with its lane and its beginning; by measure, or painted by hand. */
export function JoinPanel({ source, variant }: { source: Source; variant: Variant }) {
  const lanes = joinable(source)
  const runs = runsOf(variant)
  const work = useSession((state) => state.exports[joiningKey(variant.id)])
  const painting = useSession((state) => state.painting === variant.id)
  const playing = useSession((state) => state.playing)
  const start = partStart(source)
  const facts = partFacts(source)
  const seconds = facts ? facts.frames / facts.sampleRate : 1
  const { isSource } = planOf(recipeOf(source, variant), facts ?? { frames: 1, sampleRate: 48_000 })
  return (
    <div className="mt-2 flex min-w-0 flex-col gap-2">
      <div className="flex items-center gap-3">
        {work ? (
          <Progress
            label={`Joining variant ${variant.letter}`}
            value={work.progress}
            cancelLabel={`Stop joining variant ${variant.letter}`}
            onCancel={() => cancelJoining(variant.id)}
          >
            {Math.round(work.progress * 100)} %
          </Progress>
        ) : (
          <button
            type="button"
            className="solid-button"
            disabled={lanes.length < 2 || isSource}
            title="Hold all lanes against each other, and take at every place the one that does least harm"
            onClick={() => void joinByMeasure(source, variant)}
          >
            Join by measure
          </button>
        )}
        <button
          type="button"
          aria-pressed={painting}
          className={`plain-button ${painting ? '!text-tide font-[640]' : ''}`}
          onClick={() => togglePainting(variant)}
        >
          <Brush size={14} /> Paint by hand
        </button>
        <span className="caption min-w-0 flex-1 truncate">
          {painting
            ? playing
              ? 'The lane that you hear is laid in, from its number key on until the next.'
              : 'Play, and press the number key of a lane where it should take over.'
            : isSource
              ? 'The target is the source itself: set a length or a pitch first.'
              : lanes.length < 2
                ? 'It takes two other lanes to join.'
                : `${runs.length} ${runs.length === 1 ? 'run' : 'runs'} of ${lanes.length} lanes.`}
        </span>
      </div>
      <ol
        aria-label={`Runs of variant ${variant.letter}`}
        className="flex max-h-[92px] flex-wrap gap-x-5 gap-y-1.5 overflow-y-auto"
      >
        {runs.map((run, n) => {
          const own = variantLike(source, run)
          const shown = Math.max(0, run.source - start)
          return (
            <li key={`${run.source} ${run.methodId}`} className="flex items-center gap-1.5">
              <button
                type="button"
                className="plain-button !h-6 !px-1"
                aria-label={`Go to run ${n + 1}`}
                title="Go there"
                onClick={() => facts && seek(Math.round(shown * facts.sampleRate))}
              >
                <LaneBadge variant={{ letter: own?.letter ?? '·', methodId: run.methodId }} />
              </button>
              {n > 0 && (
                <NumberField
                  label={`Run ${n + 1} begins`}
                  unit="s"
                  width="3.4em"
                  value={shown}
                  digits={3}
                  min={0}
                  max={seconds}
                  step={0.01}
                  onChange={(value, gesture) => moveRun(source, variant, n, value + start, gesture)}
                  onReset={() => undefined}
                />
              )}
              <Select
                aria-label={`Lane of run ${n + 1}`}
                value={own?.id ?? ''}
                onChange={(event) => {
                  const lane = lanes.find(({ id }) => id === event.target.value)
                  if (lane) setRunLane(source, variant, n, lane)
                }}
              >
                {!own && <option value="">{methodById(run.methodId).label}</option>}
                {lanes.map((lane) => (
                  <option key={lane.id} value={lane.id}>
                    {lane.letter} {methodById(lane.methodId).label}
                  </option>
                ))}
              </Select>
              {runs.length > 1 && (
                <button
                  type="button"
                  className="plain-button !h-6 !px-1"
                  aria-label={`Remove run ${n + 1}`}
                  title="Remove: the run before it sounds on"
                  onClick={() => dropRun(source, variant, n)}
                >
                  <X size={13} />
                </button>
              )}
            </li>
          )
        })}
      </ol>
    </div>
  )
}
