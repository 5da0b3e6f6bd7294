import { EyeOff } from 'lucide-react'
import { useState } from 'react'
import { methodText } from '../../../core'
import { type BlindResult, REFERENCE, type Source } from '../../../session'
import { LaneBadge } from '../../common/LaneBadge'
import { Select } from '../../fields/Select'
import { type BlindRun, useSession } from '../../session/state/store'
import {
  answerBlind,
  type BlindMode,
  finishRanking,
  gradeHidden,
  hearHidden,
  mayVote,
  startBlind,
  stopBlind,
} from '../../session/try/blind'

const MODES: readonly { readonly id: BlindMode; readonly label: string; readonly hint: string }[] = [
  { id: 'AB', label: 'Which is better? (AB)', hint: 'Two lanes, in changing order. Say which you prefer.' },
  { id: 'ABX', label: 'Can I tell them apart? (ABX)', hint: 'Two lanes and X, which is one of them. Say which.' },
  { id: 'rank', label: 'Rank them all', hint: 'All chosen lanes in a hidden order. Give each a grade.' },
]
const ROUNDS = [6, 8, 10, 12, 16, 20]

/** Listening without names: choose lanes, hear them under numbers, and be told at the end. */
export function BlindPanel({ source }: { source: Source }) {
  const run = useSession((state) => state.blind)
  return run?.sourceId === source.id ? <Running run={run} /> : <Begin source={source} />
}

function Begin({ source }: { source: Source }) {
  const [mode, setMode] = useState<BlindMode>('AB')
  const [rounds, setRounds] = useState(8)
  const all = [...source.variants.map(({ id }) => id), REFERENCE]
  const [picked, setPicked] = useState<readonly string[]>([])
  const chosen = all.filter((id) => picked.includes(id))
  const lanes = chosen.length > 0 ? chosen : all.slice(0, mode === 'rank' ? all.length : 2)
  const fits = mode === 'rank' ? lanes.length >= 2 : lanes.length === 2
  const hint = MODES.find(({ id }) => id === mode)?.hint
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_300px] gap-6 px-5 py-2.5">
      <div className="flex min-w-0 flex-col gap-2">
        <div className="flex items-center gap-3">
          <Select
            aria-label="Kind of comparison"
            value={mode}
            onChange={(event) => setMode(event.target.value as BlindMode)}
          >
            {MODES.map(({ id, label }) => (
              <option key={id} value={id}>
                {label}
              </option>
            ))}
          </Select>
          {mode !== 'rank' && (
            <Select aria-label="Rounds" value={rounds} onChange={(event) => setRounds(Number(event.target.value))}>
              {ROUNDS.map((count) => (
                <option key={count} value={count}>
                  {count} rounds
                </option>
              ))}
            </Select>
          )}
          <button
            type="button"
            className="solid-button !h-7"
            disabled={!fits}
            onClick={() => startBlind(source, mode, lanes, rounds)}
          >
            <EyeOff size={14} /> Hide names and start
          </button>
        </div>
        <fieldset className="flex flex-wrap items-center gap-x-4 gap-y-1">
          <legend className="sr-only">Lanes to compare</legend>
          {all.map((id) => {
            const variant = source.variants.find((one) => one.id === id)
            return (
              <label key={id} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  checked={lanes.includes(id)}
                  onChange={(event) =>
                    setPicked(event.target.checked ? [...lanes, id] : lanes.filter((other) => other !== id))
                  }
                />
                <LaneBadge variant={variant} hollow />
                {variant ? methodText(variant) : 'Reference'}
              </label>
            )
          })}
        </fieldset>
        <p className="text-soft">
          {fits
            ? hint
            : mode === 'rank'
              ? 'Tick at least two lanes.'
              : `Tick exactly two lanes: ${lanes.length} are ticked.`}
        </p>
      </div>
      <Results results={source.blind} />
    </div>
  )
}

function Running({ run }: { run: BlindRun }) {
  const names = run.mode === 'ABX' ? ['A', 'B', 'X'] : run.places.map((_, i) => String(i + 1))
  const round = run.answers.length + 1
  const ready = mayVote(run)
  const missing = names.filter((_, i) => !run.sounded.includes(i))
  return (
    <div className="flex flex-col gap-2.5 px-5 py-2.5">
      <div className="flex items-center gap-3">
        <span className="wide text-[15px]">
          {run.mode === 'rank' ? 'Grade each lane' : `Round ${round} of ${run.rounds}`}
        </span>
        <span className="text-soft" role="status">
          Keys 1 to {names.length} switch
          {run.mode === 'AB'
            ? ', V votes for the one that is heard'
            : run.mode === 'ABX'
              ? ', A and B say which X is'
              : ', ↑ and ↓ grade the one that is heard, V ends'}
          .{!ready && ` Hear ${missing.join(' and ')} first: then a vote counts.`}
        </span>
        <button type="button" className="plain-button ml-auto" onClick={stopBlind}>
          Give up and show names
        </button>
      </div>
      <div className="flex flex-wrap items-end gap-3">
        {names.map((name, i) => (
          <span key={name} className="flex flex-col items-center gap-1">
            <button
              type="button"
              aria-pressed={run.heard === i}
              aria-label={`Hear ${name}`}
              className={`h-9 min-w-[64px] rounded-[4px] border px-3 text-[15px] font-[640] ${run.heard === i ? 'border-tide bg-[var(--tide-wash)]' : 'border-edge'}`}
              onClick={() => hearHidden(i)}
            >
              {name}
            </button>
            {run.mode === 'rank' && (
              <input
                type="range"
                min={0}
                max={100}
                step={1}
                aria-label={`Grade of ${name}`}
                value={run.grades[i]}
                onChange={(event) => gradeHidden(i, Number(event.target.value))}
                className="w-[96px] accent-[var(--tide)]"
              />
            )}
          </span>
        ))}
        <span className="ml-6 flex gap-2">
          {run.mode === 'rank' ? (
            <button type="button" className="solid-button" disabled={!ready} onClick={finishRanking}>
              Done, show names
            </button>
          ) : (
            ([0, 1] as const).map((place) => (
              <button
                key={place}
                type="button"
                className="solid-button"
                disabled={!ready}
                onClick={() => answerBlind(place)}
              >
                {run.mode === 'AB' ? `${names[place]} is better` : `X is ${names[place]}`}
              </button>
            ))
          )}
        </span>
      </div>
    </div>
  )
}

function Results({ results }: { results: readonly BlindResult[] }) {
  if (results.length === 0) return <p className="caption">Results stay with the session.</p>
  return (
    <ol aria-label="Blind results" className="max-h-[110px] overflow-y-auto border-l border-rule pl-4 text-[12.5px]">
      {[...results].reverse().map((result) => (
        <li key={result.at} className="py-0.5">
          {resultText(result)}
        </li>
      ))}
    </ol>
  )
}

function resultText({ mode, lanes, rounds, chance }: BlindResult): string {
  const p = chance === undefined ? '' : `p = ${chance < 0.001 ? '< 0.001' : chance.toFixed(3)}`
  if (mode === 'AB') {
    const [a, b] = [...lanes].sort((x, y) => y.score - x.score)
    return `AB: ${a?.name} preferred ${a?.score} of ${rounds} over ${b?.name}; ${p}${(chance ?? 1) > 0.05 ? ', may be chance' : ''}`
  }
  if (mode === 'ABX') {
    const told = `ABX: ${lanes[0]?.name} against ${lanes[1]?.name}, ${lanes[0]?.score} of ${rounds} right; ${p}`
    return `${told}${(chance ?? 1) > 0.05 ? ', not told apart' : ', told apart'}`
  }
  return `Rank: ${lanes.map(({ name, score }) => `${name} ${score}`).join(', ')}`
}
