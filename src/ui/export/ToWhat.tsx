import { STRETCH_RANGE } from '../../core'
import { type BatchSettings, BPM_RANGE, FIRST_BATCH, SECONDS_RANGE, SEMITONE_RANGE } from '../../session'
import { KeySelect } from '../common/KeySelect'
import { Choice } from '../fields/Choice'
import { NumberField } from '../fields/NumberField'
import { hasFolders } from '../session/exporting/places'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { MethodSelect } from './MethodSelect'
import { Row, Tick } from './Row'

export const setBatch = (next: Partial<BatchSettings>) => setOutlook(({ batch }) => ({ batch: { ...batch, ...next } }))

/** What all files of a batch are brought to. */
export function ToWhat() {
  const settings = useSession((state) => state.outlook.batch)
  const sessionBpm = useSession((state) => state.history.present.bpm)
  const { aim, key, method, measure, to } = settings
  return (
    <section aria-label="To what" className="border-b border-rule px-5 pt-3 pb-4">
      <h3 className="caption pb-1.5">To what</h3>
      <div className="grid gap-2.5">
        <Row caption="Length by">
          <Choice
            label="Length by"
            value={aim}
            options={[
              { value: 'bpm', label: 'tempo', title: 'All come to one tempo' },
              { value: 'stretch', label: 'stretch', title: 'All are stretched by one factor' },
              { value: 'seconds', label: 'length', title: 'All come to one length' },
            ]}
            onChange={(next) => setBatch({ aim: next })}
          />
        </Row>
        {aim === 'bpm' && (
          <Row caption="Tempo">
            <span className="flex items-center gap-2">
              <Figure label="Tempo of all" name="bpm" unit="BPM" digits={2} step={1} {...BPM_RANGE} />
              {settings.bpm !== sessionBpm && (
                <button
                  type="button"
                  className="plain-button !h-6 text-[12.5px]"
                  onClick={() => setBatch({ bpm: sessionBpm })}
                >
                  as the session
                </button>
              )}
            </span>
          </Row>
        )}
        {aim === 'stretch' && (
          <Row caption="Stretch">
            <Figure label="Stretch of all" name="stretch" unit="×" digits={4} step={0.01} {...STRETCH_RANGE} />
          </Row>
        )}
        {aim === 'seconds' && (
          <Row caption="Length">
            <Figure label="Length of all" name="seconds" unit="s" digits={3} step={0.1} {...SECONDS_RANGE} />
          </Row>
        )}
        <Row caption="Key">
          <KeySelect label="Key of all" value={key} none="as they are" onChange={(next) => setBatch({ key: next })} />
        </Row>
        <Row caption="Pitch">
          <Figure label="Pitch of all" name="semitones" unit="st" digits={2} step={1} {...SEMITONE_RANGE} />
        </Row>
        <Row caption="Method">
          <MethodSelect label="Method of all" value={method} onChange={(next) => setBatch({ method: next })} />
        </Row>
        <Tick label="Measure what was done to each" on={measure} onChange={(on) => setBatch({ measure: on })} />
        <Row caption="Where to">
          <Choice
            label="Where the batch goes"
            value={to}
            options={[
              { value: 'folder', label: 'a folder', title: 'Straight into a folder, in folders as they lay in' },
              { value: 'zip', label: 'one zip', title: 'All in one zip when the last one is made' },
            ]}
            isOpen={(value) => value !== 'folder' || hasFolders()}
            onChange={(next) => setBatch({ to: next })}
          />
        </Row>
      </div>
    </section>
  )
}

function Figure(props: {
  readonly label: string
  readonly name: 'bpm' | 'stretch' | 'seconds' | 'semitones'
  readonly unit: string
  readonly digits: number
  readonly step: number
  readonly min: number
  readonly max: number
}) {
  const { name, ...rest } = props
  const value = useSession((state) => state.outlook.batch[name])
  return (
    <NumberField
      {...rest}
      width="4.6em"
      value={value}
      signed={name === 'semitones'}
      scale={name === 'semitones' ? 'linear' : 'log'}
      onChange={(next) => setBatch({ [name]: Number(next.toFixed(6)) })}
      onReset={() => setBatch({ [name]: FIRST_BATCH[name] })}
    />
  )
}
