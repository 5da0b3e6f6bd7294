import { Flag, FlagOff, Hand, Sparkles } from 'lucide-react'
import { useState } from 'react'
import { STRETCH_RANGE } from '../../core'
import { isLong } from '../../engine'
import { partFacts, REFERENCE, type Source, timedFacts } from '../../session'
import { MethodMenu } from '../bench/MethodMenu'
import { timeText } from '../common/formats'
import { LaneBadge } from '../common/LaneBadge'
import { Pop } from '../common/Pop'
import { Progress } from '../common/Progress'
import { Field } from '../fields/Field'
import { NumberField } from '../fields/NumberField'
import { addVariant, setTarget } from '../session/acts'
import { hearLane } from '../session/hear/listening'
import { cancelSuggesting, SUGGESTING, suggestPicks } from '../session/play/moments'
import { beginPick, endPick } from '../session/play/picks'
import { setOutlook } from '../session/state/outlook'
import { activeLane, useSession } from '../session/state/store'

const FAR = [10, 40, 200, 1000] as const

/** What is on the strip, how far it is stretched, and marking what is good as it passes. */
export function StripBar({ source }: { source: Source }) {
  const active = useSession((state) => activeLane(state, source))
  const marking = useSession((state) => state.marking !== undefined)
  const { leadMs } = useSession((state) => state.outlook)
  const { stretch } = source.target
  const facts = timedFacts(source)
  const seconds = facts && (facts.frames * (active === REFERENCE ? 1 : stretch)) / facts.sampleRate
  return (
    <div
      role="group"
      aria-label="On the strip"
      className="flex flex-wrap items-end gap-x-5 gap-y-1.5 px-5 pb-2 text-[12.5px]"
    >
      <Field caption="On the strip">
        <span role="radiogroup" aria-label="On the strip" className="inline-flex">
          {[undefined, ...source.variants].map((variant, index) => (
            <button
              key={variant?.id ?? REFERENCE}
              type="button"
              role="radio"
              aria-checked={active === (variant?.id ?? REFERENCE)}
              aria-label={variant ? `Variant ${variant.letter}` : 'The source itself'}
              title={`${variant ? `Variant ${variant.letter}` : 'The source itself'} (Alt ${index})`}
              className="plain-button !h-6 !px-1"
              onClick={() => hearLane(index)}
            >
              <LaneBadge variant={variant} hollow={active !== (variant?.id ?? REFERENCE)} />
            </button>
          ))}
          <MethodMenu label="Add a variant" onChange={(methodId) => addVariant(source, methodId)}>
            +
          </MethodMenu>
        </span>
      </Field>
      <Field caption="Stretch">
        <NumberField
          label="Stretch"
          width="4.2em"
          value={stretch}
          unit="×"
          digits={2}
          min={STRETCH_RANGE.min}
          max={STRETCH_RANGE.max}
          step={0.1}
          scale="log"
          onChange={(value, gesture) => setTarget(source.id, { stretch: value }, gesture)}
          onReset={() => setTarget(source.id, { stretch: 1 })}
        />
      </Field>
      <Field caption={seconds === undefined ? ' ' : `${timeText(seconds)} long`}>
        <span className="inline-flex">
          {FAR.map((far) => (
            <button
              key={far}
              type="button"
              aria-pressed={stretch === far}
              className="plain-button !h-6 !px-1.5"
              onClick={() => setTarget(source.id, { stretch: far })}
            >
              {far} ×
            </button>
          ))}
        </span>
      </Field>
      <HandFields source={source} />
      <span className="ml-auto flex items-end gap-x-4">
        <Field caption="Lead">
          <NumberField
            label="Lead"
            width="3em"
            value={leadMs}
            unit="ms"
            digits={0}
            min={0}
            max={2000}
            step={10}
            onChange={(value) => setOutlook({ leadMs: value })}
            onReset={() => setOutlook({ leadMs: 250 })}
          />
        </Field>
        <button
          type="button"
          className="solid-button !h-7"
          aria-pressed={marking}
          title="A pick begins where it is heard, less the lead ([, or Enter)"
          onClick={beginPick}
        >
          <Flag size={14} /> Begin a pick <kbd className="key !border-current !text-current">[</kbd>
        </button>
        <button
          type="button"
          className="plain-button !h-7 border border-edge"
          disabled={!marking}
          title="It ends where it is heard (], or Enter again)"
          onClick={endPick}
        >
          <FlagOff size={14} /> End it <kbd className="key">]</kbd>
        </button>
        <Suggest />
      </span>
    </div>
  )
}

/** The hand on the strip: dragging leads the sound, holding freezes it. */
function HandFields({ source }: { readonly source: Source }) {
  const facts = partFacts(source)
  const tooLong = facts !== undefined && isLong({ frames: facts.frames, channelCount: facts.channels })
  const hand = useSession((state) => state.outlook.hand)
  const set = (part: Partial<typeof hand>) => setOutlook({ hand: { ...hand, ...part } })
  const number = (
    label: string,
    name: 'speed' | 'jitterMs' | 'spreadMs' | 'windowMs',
    how: { unit: string; min: number; max: number; step: number; digits: number; reset: number },
  ) => (
    <Field caption={label}>
      <NumberField
        label={`${label} of the hand`}
        width="2.8em"
        value={hand[name]}
        unit={how.unit}
        digits={how.digits}
        min={how.min}
        max={how.max}
        step={how.step}
        onChange={(value) => set({ [name]: value })}
        onReset={() => set({ [name]: how.reset })}
      />
    </Field>
  )
  return (
    <span className="inline-flex items-end gap-x-3">
      <button
        type="button"
        className="plain-button !h-7"
        aria-pressed={hand.on && !tooLong}
        disabled={tooLong}
        title={
          tooLong
            ? 'Too long to be led by hand: choose a part of it first, four minutes at most'
            : 'Dragging over the strip leads the sound by hand, backwards too; held still it is frozen. So do the wheel, held arrow keys, and the wheels of a keyboard (H)'
        }
        onClick={() => set({ on: !hand.on })}
      >
        <Hand size={14} /> By hand
      </button>
      {hand.on && !tooLong && (
        <>
          {number('Goes on at', 'speed', { unit: '×', min: -2, max: 2, step: 0.05, digits: 2, reset: 0 })}
          {number('Jitter', 'jitterMs', { unit: 'ms', min: 0, max: 200, step: 1, digits: 0, reset: 8 })}
          {number('Spread', 'spreadMs', { unit: 'ms', min: 0, max: 500, step: 5, digits: 0, reset: 0 })}
          {number('Window', 'windowMs', { unit: 'ms', min: 20, max: 400, step: 5, digits: 0, reset: 85 })}
        </>
      )}
    </span>
  )
}

function Suggest() {
  const running = useSession((state) => state.exports[SUGGESTING])
  const [count, setCount] = useState(8)
  const [seconds, setSeconds] = useState(2)
  if (running)
    return (
      <span className="inline-flex h-7 items-center gap-2" role="status">
        <Progress
          label="Looking for moments"
          value={running.progress}
          cancelLabel="Stop looking for moments"
          onCancel={cancelSuggesting}
        >
          {Math.round(100 * running.progress)} %
        </Progress>
      </span>
    )
  return (
    <Pop
      label="Suggest picks"
      trigger={
        <span className="inline-flex items-center gap-1.5">
          <Sparkles size={14} /> Suggest
        </span>
      }
    >
      <p className="max-w-[34ch] pb-2 text-[12.5px] text-soft">
        The moments that differ most from each other by timbre: first the most usual one, then each time the one
        furthest from all before it.
      </p>
      <div className="flex items-end gap-4 text-[12.5px]">
        <Field caption="How many">
          <NumberField
            label="How many"
            width="2.5em"
            value={count}
            digits={0}
            min={1}
            max={40}
            step={1}
            onChange={(value) => setCount(Math.round(value))}
            onReset={() => setCount(8)}
          />
        </Field>
        <Field caption="Each">
          <NumberField
            label="Each"
            width="3em"
            value={seconds}
            unit="s"
            digits={2}
            min={0.05}
            max={60}
            step={0.1}
            onChange={setSeconds}
            onReset={() => setSeconds(2)}
          />
        </Field>
        <button type="button" className="solid-button !h-7" onClick={() => void suggestPicks(count, seconds)}>
          Suggest them
        </button>
      </div>
    </Pop>
  )
}
