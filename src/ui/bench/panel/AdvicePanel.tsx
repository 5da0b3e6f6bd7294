import { Plus } from 'lucide-react'
import { findingsOf, harmText, isTold, methodById, rankTrials, reasonOf } from '../../../core'
import { errorText } from '../../../host/errorText'
import { MAX_VARIANTS, partFacts, type Source, soundKey } from '../../../session'
import { timeText } from '../../common/formats'
import { Progress } from '../../common/Progress'
import { addVariant } from '../../session/acts'
import { cancelJoining, joiningKey } from '../../session/joins'
import { useSession } from '../../session/state/store'
import { adviceKey, cancelAdvice, letChoose, seekAdvice } from '../../session/try/advice'

/** Which method does least harm to this sound at this target: every one tried on a telling part, measured, and ranked. */
export function AdvicePanel({ source }: { source: Source }) {
  const state = useSession((all) => all.advice[source.id])
  const ready = useSession((all) => all.loads[soundKey(source)]?.status === 'ready')
  const sampleRate = partFacts(source)?.sampleRate ?? 48_000
  const old = state !== undefined && state.key !== adviceKey(source)
  const ranked = rankTrials(state?.tried ?? [])
  const [best] = ranked
  const running = state?.status === 'running'
  const whole = best && `${timeText(best.trial.span.from / sampleRate)} to ${timeText(best.trial.span.to / sampleRate)}`
  const close = ranked.filter((one) => one.close)
  // one scale for all of them, that ends with the worst
  const most = Math.max(1, ...ranked.map(({ harm }) => harm))

  const joining = useSession((all) => all.exports[joiningKey(source.id)])
  return (
    <div className="flex max-h-[250px] flex-col px-5 py-2.5">
      <div className="flex items-center gap-3">
        <button
          type="button"
          className="solid-button !h-7"
          disabled={!ready || running || joining !== undefined}
          onClick={() => void seekAdvice(source)}
        >
          {state && !old ? 'Measure again' : 'Measure all methods'}
        </button>
        <button
          type="button"
          className="plain-button !h-7 !text-tide"
          disabled={!ready || running || joining !== undefined}
          title="Measure what is not measured yet, and hear the method that does least harm, or several joined where that does clearly less"
          onClick={() => void letChoose(source)}
        >
          Let Zumbet choose
        </button>
        {running && (
          <Progress
            label="Advice progress"
            value={state.tried.length}
            max={state.methodIds.length}
            cancelLabel="Cancel measuring"
            onCancel={() => cancelAdvice(source.id)}
          >
            {state.tried.length} of {state.methodIds.length} methods tried
          </Progress>
        )}
        {joining && (
          <Progress
            label="Joining lanes"
            value={joining.progress}
            cancelLabel="Stop joining lanes"
            onCancel={() => cancelJoining(source.id)}
          >
            joining {Math.round(joining.progress * 100)} %
          </Progress>
        )}
        <p className="min-w-0 flex-1 truncate text-soft" role="status">
          {state?.status === 'failed' ? (
            <span className="text-trouble">{errorText(state.error)}</span>
          ) : joining ? null : old ? (
            'The target has changed since: this is advice for the one before.'
          ) : state?.status === 'cancelled' ? (
            'Stopped. What was tried stays below.'
          ) : state?.status === 'done' && close.length > 1 ? (
            `Figures do not tell the first ${close.length} apart: listen.`
          ) : state?.status === 'done' ? (
            'Least harm first; a hollow bar is not heard.'
          ) : running ? null : (
            'Every method renders a telling part of the result, which is then measured. Nothing is applied by itself.'
          )}
        </p>
        {whole && !running && <span className="caption whitespace-nowrap">tried on {whole} of the result</span>}
      </div>
      {ranked.length > 0 && (
        <ol aria-label="Methods by harm" className="mt-2 min-h-0 overflow-y-auto">
          {ranked.map((one, n) => (
            <li key={one.methodId} className="flex items-baseline gap-3 py-[2px]">
              <span className="w-6 text-right text-faint">{one.close && close.length > 1 ? '1 =' : n + 1}</span>
              <span className={`w-[116px] shrink-0 ${n === 0 ? 'font-[640]' : ''}`}>
                {methodById(one.methodId).label}
              </span>
              <span className="w-[128px] shrink-0 whitespace-nowrap">
                {isTold(one.trial.measurement) && (
                  <span
                    className={`mr-1 inline-block h-[7px] rounded-[1px] border border-[var(--harm)] align-middle ${
                      findingsOf(one.trial.measurement).length === 0 ? '' : 'bg-[var(--harm)]'
                    }`}
                    style={{ width: Math.max(2, (56 * one.harm) / most) }}
                  />
                )}
                <span className="text-soft">{harmText(one.trial.measurement)}</span>
              </span>
              <span className="min-w-0 flex-1 text-soft">
                {reasonOf(one.trial.measurement, ranked[n === 0 ? 1 : 0]?.trial.measurement)}
              </span>
              <button
                type="button"
                className="plain-button !h-5 !px-1.5 !text-tide"
                disabled={source.variants.length >= MAX_VARIANTS}
                aria-label={`Make ${methodById(one.methodId).label} a variant`}
                onClick={() => addVariant(source, one.methodId)}
              >
                <Plus size={13} /> Variant
              </button>
            </li>
          ))}
        </ol>
      )}
    </div>
  )
}
