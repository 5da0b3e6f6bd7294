import { ArrowRight, Copy, Scissors, Trash2 } from 'lucide-react'
import { useEffect } from 'react'
import { methodById, methods, methodText, naturalRange } from '../../core'
import { isUntuned, kindOf, partFacts, partRecipe, type Source, type TimelinePart, variantOf } from '../../session'
import { HarmWords } from '../bench/harm/HarmWords'
import { LaneBadge } from '../common/LaneBadge'
import { NumberField } from '../fields/NumberField'
import { Select } from '../fields/Select'
import { selectSource } from '../session/acts'
import { knowledgeOf } from '../session/know/knowledge'
import { setOutlook } from '../session/state/outlook'
import { store, useSession } from '../session/state/store'
import {
  copyChosen,
  followPart,
  laidOf,
  lockTo,
  removeChosen,
  splitHere,
  switchVariant,
  takeTempoOf,
} from '../session/timeline/acts'
import { setPart } from '../session/timeline/edits'
import { partTrialKey, tryPart } from '../session/timeline/partTrials'
import { showView } from '../session/views'
import { PartTiming } from './PartTiming'
import { StrainMark } from './StrainMark'
import { strainOf } from './strain'

/** The part that is chosen, or what several have in common. */
export function PartPanel() {
  const session = useSession((state) => state.history.present)
  const ids = useSession((state) => state.outlook.parts)
  const parts = session.parts.filter(({ id }) => ids.includes(id))
  const [only] = parts
  const timing = useSession((state) => state.outlook.partTiming)
  const timed = timing && parts.length === 1 ? session.sources.find(({ id }) => id === only?.source) : undefined
  return (
    <>
      {timed && <PartTiming source={timed} />}
      <section
        aria-label="Chosen part"
        className="flex min-h-[92px] shrink-0 flex-wrap items-start gap-x-6 gap-y-2 border-t border-edge bg-deck px-4 py-2.5"
      >
        {parts.length === 0 || !only ? (
          <p className="pt-2 text-soft">
            Choose a part to change it: a click, or Tab. Its variants are heard in the mix with the number keys. Shift
            and a click chooses several.
          </p>
        ) : parts.length === 1 ? (
          <OnePart part={only} />
        ) : (
          <SeveralParts parts={parts} />
        )}
      </section>
    </>
  )
}

const sourceOf = (part: TimelinePart) => store.getState().history.present.sources.find(({ id }) => id === part.source)

function OnePart({ part }: { readonly part: TimelinePart }) {
  const source = useSession((state) => state.history.present.sources.find(({ id }) => id === part.source))
  const found = useSession((state) => (source ? knowledgeOf(state, source) : undefined))
  const timing = useSession((state) => state.outlook.partTiming)
  const laid = laidOf(store.getState(), part.id)
  if (!source) return null
  const recipe = partRecipe(source, part)
  const strain = laid && strainOf(laid, naturalRange(kindOf(source, found).kind ?? 'unsure'))
  const own = laid?.part.own
  return (
    <>
      <Field name={source.name} wide>
        <span className="flex items-center gap-0.5" role="group" aria-label="Variants of the part">
          {source.variants.slice(0, 9).map((variant, index) => {
            const heard = variantOf(source, part)?.id === variant.id
            return (
              <button
                key={variant.id}
                type="button"
                className="plain-button !px-1"
                aria-pressed={heard}
                aria-label={`Variant ${variant.letter}, ${methodText(variant)}`}
                title={`${methodText(variant)} (${index + 1})`}
                onClick={() => switchVariant(index)}
              >
                <LaneBadge variant={variant} hollow={!heard} />
              </button>
            )
          })}
          <span className="pl-1.5 text-[12.5px]">{methodText(recipe)}</span>
        </span>
        {laid && strain && <Verdict source={source} part={part} stretch={Math.sqrt(strain.least * strain.most)} />}
      </Field>
      <Field name="Length">
        <span className="flex items-center gap-2">
          <LockSelect parts={[part]} label="Lock" />
          {part.lock === 'seconds' && (
            <NumberField
              label="Stretch of the part"
              unit="×"
              width="3.6em"
              value={recipe.stretch}
              digits={3}
              min={0.1}
              max={1000}
              step={0.01}
              scale="log"
              onChange={(stretch, gesture) => setPart([part.id], 'Stretch', { stretch }, gesture)}
              onReset={() => setPart([part.id], 'Stretch', { stretch: undefined })}
            />
          )}
          <label className="flex items-center gap-1.5 text-[12.5px]">
            <input
              type="checkbox"
              checked={part.repeat}
              onChange={(event) => setPart([part.id], 'Repeat', { repeat: event.target.checked })}
            />
            repeat
          </label>
        </span>
        {part.lock === 'bars' && !own && (
          <span className="caption">its tempo is not known, so it keeps its seconds</span>
        )}
        {strain && (
          <span className="flex items-center gap-2 text-[12px] text-soft" data-testid="strain">
            {stretchText(strain.least, strain.most)}
            {strain.grade === 'none' ? <span>natural</span> : <StrainMark strain={strain} words />}
            {strain.other && (
              <button
                type="button"
                className="plain-button !h-5 !px-1 !text-tide"
                onClick={() => setPart([part.id], strain.other?.words ?? '', { feel: strain.other?.feel as 1 })}
              >
                {strain.other.words} is nearer
              </button>
            )}
          </span>
        )}
      </Field>
      <Field name="Pitch and level">
        <span className="flex items-center gap-3">
          <PitchOf ids={[part.id]} value={recipe.pitchSemitones} />
          <NumberField
            label="Level of the part"
            unit="dB"
            width="2.7em"
            value={part.gainDb}
            digits={1}
            min={-60}
            max={24}
            step={0.5}
            signed
            onChange={(gainDb, gesture) => setPart([part.id], 'Level', { gainDb }, gesture)}
            onReset={() => setPart([part.id], 'Level', { gainDb: 0 })}
          />
        </span>
        <span className="flex items-center gap-2 text-[12px] text-soft">
          fades
          {(['fadeIn', 'fadeOut'] as const).map((side) => (
            <NumberField
              key={side}
              label={side === 'fadeIn' ? 'Fade in' : 'Fade out'}
              unit="s"
              width="2.6em"
              value={part[side]}
              digits={2}
              min={0}
              max={600}
              step={0.05}
              onChange={(seconds, gesture) => setPart([part.id], 'Fade', { [side]: seconds }, gesture)}
              onReset={() => setPart([part.id], 'Fade', { [side]: 0 })}
            />
          ))}
        </span>
      </Field>
      {own && (
        <Field name="Tempo of this performance">
          <span className="flex flex-wrap items-center gap-x-1">
            <Act
              label="Line takes its tempo"
              title="The tempo line follows it: it plays as it was recorded, and the click follows it"
              run={() => takeTempoOf(part.id)}
            />
            <Act
              label="Lay it on the line"
              title="Its beats lie on the timeline's beats"
              run={() => lockTo([part.id], 'bars', 'Lay on the line')}
              disabled={part.lock === 'bars'}
            />
          </span>
          <span className="flex items-center gap-3">
            <button
              type="button"
              className="plain-button !h-6 !px-1.5"
              aria-pressed={timing}
              title="Its attacks against the grid: pull one, draw all, lay a groove"
              onClick={() => setOutlook({ partTiming: !timing })}
            >
              Timing
            </button>
            <span className="caption">choose a loop as well to make it follow</span>
          </span>
        </Field>
      )}
      <PartActs source={source} />
    </>
  )
}

const stretchText = (least: number, most: number) =>
  Math.abs(least / most - 1) < 0.005 ? `${least.toFixed(2)} ×` : `${least.toFixed(2)} to ${most.toFixed(2)} ×`

function SeveralParts({ parts }: { readonly parts: readonly TimelinePart[] }) {
  const ids = parts.map(({ id }) => id)
  const knowledge = useSession((state) => state.knowledge)
  const tuned = parts.filter((part) => {
    const source = sourceOf(part)
    return source && !isUntuned(source, knowledge[source.id])
  })
  const first = tuned[0]
  const firstSource = first && sourceOf(first)
  const withBeats = parts.filter(({ id }) => laidOf(store.getState(), id)?.part.own)
  const [a, b] = withBeats
  return (
    <>
      <Field name={`${parts.length} parts`}>
        <Select
          aria-label="Method of the chosen parts"
          value=""
          onChange={(event) =>
            setPart(ids, 'Method', { method: event.target.value, settings: undefined, variant: undefined })
          }
        >
          <option value="" disabled>
            one method for all
          </option>
          {methods.map(({ id, label }) => (
            <option key={id} value={id}>
              {label}
            </option>
          ))}
        </Select>
      </Field>
      <Field name="Lock">
        <LockSelect parts={parts} label="Lock of the chosen parts" />
      </Field>
      <Field name="Pitch">
        {first && firstSource ? (
          <PitchOf ids={tuned.map(({ id }) => id)} value={partRecipe(firstSource, first).pitchSemitones} />
        ) : (
          <span className="text-soft">all untuned</span>
        )}
        {tuned.length < parts.length && <span className="caption">{parts.length - tuned.length} untuned left out</span>}
      </Field>
      {parts.length === 2 && a && b && (
        <Field name="Follow">
          {[
            [a, b],
            [b, a],
          ].map(([loop, played]) => (
            <Act
              key={loop?.id}
              label={`${sourceOf(loop as TimelinePart)?.name} follows ${sourceOf(played as TimelinePart)?.name}`}
              title="It goes round on the beats of the other one, and so does the tempo line"
              run={() => followPart((loop as TimelinePart).id, (played as TimelinePart).id)}
            />
          ))}
        </Field>
      )}
      <PartActs />
    </>
  )
}

function PitchOf({ ids, value }: { readonly ids: readonly string[]; readonly value: number }) {
  return (
    <NumberField
      label="Pitch of the part"
      unit="st"
      width="3em"
      value={value}
      digits={2}
      min={-36}
      max={36}
      step={1}
      signed
      onChange={(semitones, gesture) => setPart(ids, 'Pitch', { semitones }, gesture)}
      onReset={() => setPart(ids, 'Pitch', { semitones: undefined })}
    />
  )
}

/** The worst that was measured of a part as it lies, and what it costs to play. */
function Verdict({
  source,
  part,
  stretch,
}: {
  readonly source: Source
  readonly part: TimelinePart
  readonly stretch: number
}) {
  const key = partTrialKey(source, part, stretch)
  const trial = useSession((state) => state.partTrials[key])
  const isLoaded = useSession((state) => state.mixFacts)
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says what is to be measured
  useEffect(() => {
    const timer = setTimeout(() => void tryPart(source, part, stretch), 500)
    return () => clearTimeout(timer)
  }, [key, isLoaded])
  const { timesRealTime } = methodById(partRecipe(source, part).methodId)
  const cost = `${Math.round(timesRealTime)} × real time`
  if (!trial) return <span className="caption">measuring what it does to it · {cost}</span>
  return (
    <span className="flex max-w-[300px]" data-testid="part-verdict">
      <HarmWords
        measurement={trial.measurement}
        sampleRate={partFacts(source)?.sampleRate}
        after={<span className="text-faint"> · {cost}</span>}
      />
    </span>
  )
}

function LockSelect({ parts, label }: { readonly parts: readonly TimelinePart[]; readonly label: string }) {
  const locks = new Set(parts.map(({ lock }) => lock))
  return (
    <Select
      aria-label={label}
      value={locks.size === 1 ? [...locks][0] : ''}
      title="What it holds on to when the tempo turns"
      onChange={(event) =>
        lockTo(
          parts.map(({ id }) => id),
          event.target.value as TimelinePart['lock'],
        )
      }
    >
      {locks.size > 1 && (
        <option value="" disabled>
          several
        </option>
      )}
      <option value="bars">bars</option>
      <option value="seconds">seconds</option>
    </Select>
  )
}

const SMALL_ACTS = [
  { label: 'Split', title: 'Split at the playhead (X)', Icon: Scissors, run: splitHere },
  { label: 'Copy', title: 'Copy behind itself (C)', Icon: Copy, run: copyChosen },
  { label: 'Remove', title: 'Remove (Delete)', Icon: Trash2, run: removeChosen },
]

function PartActs({ source }: { readonly source?: Source }) {
  return (
    <span className="ml-auto flex flex-wrap items-center gap-x-1">
      {source && (
        <button
          type="button"
          className="plain-button !px-1.5"
          aria-label="To the Bench"
          title="Go to its lanes; T comes back"
          onClick={() => {
            if (store.getState().outlook.selectedId !== source.id) selectSource(source.id)
            showView('bench')
          }}
        >
          Bench <ArrowRight size={13} />
        </button>
      )}
      {SMALL_ACTS.map(({ label, title, Icon, run }) => (
        <button
          key={label}
          type="button"
          className="plain-button !px-1.5"
          onClick={run}
          title={title}
          aria-label={label}
        >
          <Icon size={14} />
        </button>
      ))}
    </span>
  )
}

function Field({
  name,
  wide = false,
  children,
}: {
  readonly name: string
  readonly wide?: boolean
  readonly children: React.ReactNode
}) {
  return (
    <div role="group" aria-label={name} className={`flex flex-col gap-1 ${wide ? 'min-w-[190px]' : ''}`}>
      <span className={wide ? 'truncate font-[620]' : 'caption'}>{name}</span>
      {children}
    </div>
  )
}

function Act({
  label,
  title,
  run,
  disabled = false,
}: {
  readonly label: string
  readonly title: string
  readonly run: () => void
  readonly disabled?: boolean
}) {
  return (
    <button
      type="button"
      className="plain-button !h-6 !px-1.5 !text-tide"
      title={title}
      disabled={disabled}
      onClick={run}
    >
      {label}
    </button>
  )
}
