import type { ReactNode } from 'react'
import { FORMANT_RANGE, HOLD_RANGE, PITCH_RANGE, STRETCH_RANGE } from '../../core'
import {
  beatsOf,
  bpmOf,
  keyOf,
  type LengthUnit,
  percentOf,
  pitchFromParts,
  pitchParts,
  readPitch,
  type Source,
  secondsOf,
  stretchFromBpm,
  stretchFromPercent,
  stretchFromSeconds,
  type Target,
  tempoOf,
  timedFacts,
} from '../../session'
import { Choice, type Option } from '../fields/Choice'
import { NumberField } from '../fields/NumberField'
import { setTarget } from '../session/acts'
import { setHand } from '../session/edits'
import { knowledgeOf } from '../session/know/knowledge'
import { useSession } from '../session/state/store'
import { LENGTH_EXAMPLES, lengthReader, PITCH_EXAMPLES } from './typed'

/** What is wanted: one length and one pitch, each written in every unit, side by side as the equation they are. */
export function TargetPanel({ source }: { source: Source }) {
  const { target } = source
  const facts = timedFacts(source)
  const found = useSession((state) => knowledgeOf(state, source))
  const tempo = tempoOf(source, found)
  const set = (part: Partial<Source['target']>, gesture?: string) => setTarget(source.id, part, gesture)
  const pitch = pitchParts(target.pitchSemitones)
  const bpm = bpmOf(target, tempo.bpm)
  const session = useSession((state) => state.history.present)
  const { beatsPerBar } = beatsOf(source, found)
  const { key } = keyOf(source, found)
  const music = { sourceBpm: tempo.bpm, bpm: session.bpm, beatsPerBar }
  const typed = (unit: LengthUnit, toField: (stretch: number) => number) => ({
    read: lengthReader(source, music, unit, toField),
    examples: LENGTH_EXAMPLES,
  })
  const sourceSeconds = facts ? facts.frames / facts.sampleRate : 1

  return (
    <section aria-label="Target" className="flex flex-wrap items-end gap-x-6 gap-y-2 px-5 pt-2.5 pb-2.5">
      <div role="group" aria-label="Length" className="flex flex-1 items-end gap-3.5">
        <Reading caption="Length">
          <NumberField
            label="Stretch"
            size="large"
            unit="×"
            width="4.1em"
            value={target.stretch}
            digits={target.stretch < 10 ? 4 : 2}
            min={STRETCH_RANGE.min}
            max={STRETCH_RANGE.max}
            step={0.01}
            {...typed('×', (stretch) => stretch)}
            onChange={(stretch, gesture) => set({ stretch }, gesture)}
            onReset={() => set({ stretch: 1 })}
          />
        </Reading>
        <Equals />
        <Reading caption="Per cent">
          <NumberField
            label="Length in per cent"
            unit="%"
            width="4.4em"
            value={percentOf(target)}
            digits={2}
            min={STRETCH_RANGE.min * 100}
            max={STRETCH_RANGE.max * 100}
            step={1}
            {...typed('%', (stretch) => 100 * stretch)}
            onChange={(percent, gesture) => set({ stretch: stretchFromPercent(percent) }, gesture)}
            onReset={() => set({ stretch: 1 })}
          />
        </Reading>
        <Equals />
        <Reading caption={facts ? `from ${sourceSeconds.toFixed(3)} s` : 'Seconds'}>
          <NumberField
            label="Length in seconds"
            unit="s"
            width="4.8em"
            value={facts && secondsOf(target, facts)}
            digits={3}
            min={facts ? sourceSeconds * STRETCH_RANGE.min : 0}
            max={facts ? sourceSeconds * STRETCH_RANGE.max : 0}
            step={0.1}
            {...typed('s', (stretch) => stretch * sourceSeconds)}
            onChange={(seconds, gesture) => facts && set({ stretch: stretchFromSeconds(seconds, facts) }, gesture)}
            onReset={() => set({ stretch: 1 })}
          />
        </Reading>
        <Equals />
        <Reading caption="Tempo, from → to">
          <span className="inline-flex items-baseline gap-1.5">
            <NumberField
              label="Tempo of the source"
              width="3.7em"
              placeholder="type it"
              value={tempo.bpm}
              digits={2}
              min={10}
              max={999}
              step={1}
              onChange={(hand, gesture) => setHand(source.id, { bpm: hand }, gesture)}
              onReset={() => setHand(source.id, { bpm: undefined })}
            />
            <span aria-hidden="true" className="text-faint">
              →
            </span>
            {bpm === undefined ? (
              <span
                className="inline-block w-[4.9em] border-b border-rule text-right text-faint"
                title="Type the source's tempo first"
              >
                – <span className="text-[12px]">BPM</span>
              </span>
            ) : (
              <NumberField
                label="Tempo of the result"
                unit="BPM"
                width="3.4em"
                value={bpm}
                digits={2}
                min={1}
                max={9999}
                step={1}
                {...typed('BPM', (stretch) => (tempo.bpm as number) / stretch)}
                onChange={(next, gesture) => set({ stretch: stretchFromBpm(tempo.bpm as number, next) }, gesture)}
                onReset={() => set({ stretch: 1 })}
              />
            )}
          </span>
        </Reading>
      </div>
      <div role="group" aria-label="Pitch" className="flex items-end gap-3 border-l border-rule pl-6">
        <Reading caption="Pitch">
          <NumberField
            label="Semitones"
            size="large"
            unit="st"
            signed
            width="2.1em"
            value={pitch.semitones}
            digits={0}
            min={PITCH_RANGE.min}
            max={PITCH_RANGE.max}
            step={1}
            read={(text) => readPitch(text, 'st', key?.root)}
            examples={PITCH_EXAMPLES}
            onChange={(semitones, gesture) =>
              set(
                {
                  // cents that are typed with it are meant; else those that are there stay
                  pitchSemitones: Number.isInteger(semitones)
                    ? pitchFromParts(semitones, pitch.cents)
                    : pitchFromParts(0, 100 * semitones),
                },
                gesture,
              )
            }
            onReset={() => set({ pitchSemitones: 0 })}
          />
        </Reading>
        <Reading caption="and">
          <NumberField
            label="Cents"
            unit="cents"
            signed
            width="2.9em"
            value={pitch.cents}
            digits={Number.isInteger(pitch.cents) ? 0 : 2}
            min={-3600}
            max={3600}
            step={1}
            read={(text) => {
              const semitones = readPitch(text, 'cents', key?.root)
              return semitones === undefined ? undefined : 100 * semitones
            }}
            examples={PITCH_EXAMPLES}
            onChange={(cents, gesture) => set({ pitchSemitones: pitchFromParts(pitch.semitones, cents) }, gesture)}
            onReset={() => set({ pitchSemitones: pitch.semitones })}
          />
        </Reading>
        <Reading caption="Formants">
          <Choice
            label="Formants"
            options={FORMANTS}
            value={target.formants}
            onChange={(formants) => set({ formants })}
          />
        </Reading>
        {target.formants === 'shift' && (
          <Reading caption="by">
            <NumberField
              label="Formant shift"
              unit="st"
              signed
              width="2.4em"
              value={target.formantSemitones}
              digits={Number.isInteger(target.formantSemitones) ? 0 : 1}
              min={FORMANT_RANGE.min}
              max={FORMANT_RANGE.max}
              step={1}
              onChange={(formantSemitones, gesture) => set({ formantSemitones }, gesture)}
              onReset={() => set({ formantSemitones: 0 })}
            />
          </Reading>
        )}
        <Reading caption="Hold attacks">
          <NumberField
            label="Hold attacks"
            unit="%"
            width="2.1em"
            value={target.holdPercent}
            digits={0}
            min={HOLD_RANGE.min}
            max={HOLD_RANGE.max}
            step={5}
            onChange={(holdPercent, gesture) => set({ holdPercent }, gesture)}
            onReset={() => set({ holdPercent: 0 })}
          />
        </Reading>
      </div>
    </section>
  )
}

const FORMANTS: readonly Option<Target['formants']>[] = [
  { value: 'move', label: 'Move', title: 'Formants move with the pitch' },
  { value: 'keep', label: 'Keep', title: 'Formants stay where the source has them' },
  { value: 'shift', label: 'Shift', title: 'Formants go where you say, whatever the pitch does' },
]

export function Reading({ caption, children }: { caption: string; children: ReactNode }) {
  return (
    <div className="flex flex-col gap-1">
      <span className="caption whitespace-nowrap">{caption}</span>
      {children}
    </div>
  )
}

export function Equals() {
  return (
    <span aria-hidden="true" className="pb-[3px] text-[15px] text-faint">
      =
    </span>
  )
}
