import { Bookmark, Trash2 } from 'lucide-react'
import { useState } from 'react'
import { CEILING_RANGE, CONTAINERS, type Container, containers, DITHERS, LOUDNESS_RANGE } from '../../core'
import { type ExportSettings, FIRST_EXPORT, heldToKind } from '../../session'
import { rateText } from '../common/formats'
import { Choice } from '../fields/Choice'
import { NumberField } from '../fields/NumberField'
import { Select } from '../fields/Select'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { Row, Rule, Tick } from './Row'

/** Change what files are to be. What a kind of file cannot have gives way to what it can. */
export function setExport(next: Partial<ExportSettings>) {
  setOutlook(({ exporting }) => {
    const wanted = { ...exporting.settings, ...next }
    return { exporting: { ...exporting, settings: heldToKind(wanted) } }
  })
}

const DEPTHS: readonly [ExportSettings['depth'], string][] = [
  ['source', 'as the source'],
  ['16', '16 bits'],
  ['24', '24 bits'],
  ['32', '32 bits'],
  ['32f', '32-bit float'],
]
const RATES = [44_100, 48_000, 88_200, 96_000] as const

const LEVELS: readonly [ExportSettings['level'], string][] = [
  ['as-is', 'as it comes out'],
  ['match', 'as loud as its source'],
  ['loudness', 'to a loudness'],
  ['peak', 'to its peak'],
]

/**
 * What the files are to be: kind, numbers, level, length, what they say of themselves.
 * @param of  listed files have neither bars nor picture that a length could go by.
 */
export function AsWhat({ of = 'session' }: { readonly of?: 'session' | 'found' }) {
  const settings = useSession((state) => state.outlook.exporting.settings)
  const { container, depth, rate, kbps, mono, level, dither, length } = settings
  const { exact, rates, kbps: choices } = containers[container]
  const canDither = exact && (depth === '16' || depth === 'source')
  return (
    <section
      aria-label="As what"
      className={`flex flex-col px-5 pt-3 pb-4 ${of === 'session' ? 'min-h-0 overflow-y-auto border-r border-rule' : ''}`}
    >
      <h3 className="caption pb-1.5">As what</h3>
      <Presets />
      <div className="mt-3 grid gap-2.5">
        {/* one choice of a few names says itself what it is, and five of them need the whole width */}
        <Choice<Container>
          label="Kind of file"
          value={container}
          options={CONTAINERS.map((value) => ({ value, label: containers[value].label, title: titleOf(value) }))}
          onChange={(value) => setExport({ container: value })}
        />
        {exact && (
          <Row caption="Depth">
            <Select
              aria-label="Depth"
              value={depth}
              onChange={(event) => setExport({ depth: event.target.value as ExportSettings['depth'] })}
            >
              {DEPTHS.filter(([value]) => container === 'wav' || !value.startsWith('32')).map(([value, label]) => (
                <option key={value} value={value}>
                  {label}
                </option>
              ))}
            </Select>
          </Row>
        )}
        {choices && (
          <Row caption="Bit rate">
            <Select
              aria-label="Bit rate"
              value={String(kbps ?? choices.usual)}
              onChange={(event) => setExport({ kbps: Number(event.target.value) })}
            >
              {choices.choices.map((one) => (
                <option key={one} value={one}>
                  {one} kbit/s
                </option>
              ))}
            </Select>
          </Row>
        )}
        <Row caption="Rate">
          <RateField rate={rate} only={rates} />
        </Row>
        <Row caption="Channels">
          <Choice
            label="Channels"
            value={mono ? 'mono' : 'keep'}
            options={[
              { value: 'keep', label: 'as they are', title: 'As many channels as the result has' },
              { value: 'mono', label: 'one', title: 'Both sides as one channel' },
            ]}
            onChange={(value) => setExport({ mono: value === 'mono' })}
          />
        </Row>
        {canDither && (
          <Row caption="Dither">
            <Select
              aria-label="Dither of 16 bits"
              title="What is added before 16 bits are rounded: flat noise, or noise shaped to lie where the ear is least keen"
              value={dither}
              onChange={(event) => setExport({ dither: event.target.value as ExportSettings['dither'] })}
            >
              {DITHERS.map((value) => (
                <option key={value} value={value}>
                  {value}
                </option>
              ))}
            </Select>
          </Row>
        )}
        <Rule />
        <Row caption="Level">
          <Select
            aria-label="Level"
            value={level}
            onChange={(event) => setExport({ level: event.target.value as ExportSettings['level'] })}
          >
            {LEVELS.map(([value, label]) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </Select>
        </Row>
        {level === 'loudness' && <Figure caption="Loudness" unit="LUFS" name="lufs" step={0.5} {...LOUDNESS_RANGE} />}
        {level !== 'as-is' && (
          <Figure caption="Peaks below" unit="dBTP" name="ceilingDb" step={0.1} {...CEILING_RANGE} />
        )}
        {of === 'session' && (
          <Row caption="Length">
            <Select
              aria-label="Length"
              value={length}
              onChange={(event) => setExport({ length: event.target.value as ExportSettings['length'] })}
            >
              <option value="exact">as it comes out</option>
              <option value="bars">whole bars</option>
              <option value="picture">its slot of picture</option>
            </Select>
          </Row>
        )}
        <Figure caption="Silence after" unit="s" name="tailSeconds" step={0.5} min={0} max={60} />
        <Rule />
        <Tick
          label="Marks, loops and root go along"
          on={settings.markers === 'keep'}
          onChange={(on) => setExport({ markers: on ? 'keep' : 'drop' })}
        />
        <Tick
          label="Title, tempo, key and recipe in the file"
          on={settings.tags}
          onChange={(on) => setExport({ tags: on })}
        />
        {of === 'session' && (
          <Tick label="A recipe beside each file" on={settings.recipe} onChange={(on) => setExport({ recipe: on })} />
        )}
      </div>
    </section>
  )
}

const titleOf = (container: Container) =>
  ({
    wav: 'Plain samples, with marks where players of loops look for them',
    flac: 'The same samples, packed',
    mp3: 'Small, for listening; as long to the frame',
    m4a: 'Small, for phones and films; as long to the frame where the player goes by its edit list',
    opus: 'Smaller, for listening; 48 kHz, as long to the frame',
  })[container]

function RateField({
  rate,
  only,
}: {
  readonly rate: ExportSettings['rate']
  readonly only: readonly number[] | undefined
}) {
  const usual: readonly number[] = only ?? RATES
  const [typed, setTyped] = useState(false)
  const isOther = rate !== 'source' && !usual.includes(rate)
  if (only?.length === 1) return <span>{rateText(only[0] as number)}</span>
  return (
    <span className="flex items-center gap-2">
      <Select
        aria-label="Rate"
        value={isOther || typed ? 'other' : String(rate)}
        onChange={({ target: { value } }) => {
          setTyped(value === 'other')
          if (value !== 'other') setExport({ rate: value === 'source' ? 'source' : Number(value) })
        }}
      >
        <option value="source">as the source</option>
        {usual.map((value) => (
          <option key={value} value={value}>
            {rateText(value)}
          </option>
        ))}
        {!only && <option value="other">another</option>}
      </Select>
      {!only && (isOther || typed) && (
        <NumberField
          label="Rate in Hz"
          width="4.2em"
          unit="Hz"
          value={rate === 'source' ? 48_000 : rate}
          digits={0}
          step={100}
          min={8000}
          max={384_000}
          onChange={(value) => setExport({ rate: Math.round(value) })}
          onReset={() => setExport({ rate: 'source' })}
        />
      )}
    </span>
  )
}

/** Settings under names: chosen, kept, taken away. */
function Presets() {
  const { presets, settings } = useSession((state) => state.outlook.exporting)
  const [name, setName] = useState<string | undefined>()
  const same = presets.find((preset) => JSON.stringify(preset.settings) === JSON.stringify(settings))
  const put = (next: typeof presets) => setOutlook(({ exporting }) => ({ exporting: { ...exporting, presets: next } }))
  const keep = () => {
    const own = name?.trim()
    if (own) put([...presets.filter((preset) => preset.name !== own), { name: own, settings }])
    setName(undefined)
  }
  return (
    <div className="flex items-center gap-1.5">
      {name === undefined ? (
        <>
          <Select
            aria-label="Preset"
            className="min-w-0 flex-1"
            value={same?.name ?? ''}
            onChange={({ target: { value } }) => {
              const preset = presets.find((one) => one.name === value)
              if (preset) setExport(preset.settings)
            }}
          >
            <option value="" disabled={presets.length > 0 && same !== undefined}>
              {presets.length === 0 ? 'no preset yet' : 'own settings'}
            </option>
            {presets.map((preset) => (
              <option key={preset.name}>{preset.name}</option>
            ))}
          </Select>
          <button
            type="button"
            className="plain-button !h-6 !px-1.5"
            aria-label="Keep as a preset"
            title="Keep these settings under a name"
            onClick={() => setName(same?.name ?? '')}
          >
            <Bookmark size={14} />
          </button>
          <button
            type="button"
            className="plain-button !h-6 !px-1.5"
            aria-label="Remove this preset"
            title="Take this preset off the list; the settings stay"
            disabled={!same}
            onClick={() => put(presets.filter((preset) => preset !== same))}
          >
            <Trash2 size={14} />
          </button>
        </>
      ) : (
        <form
          className="flex flex-1 items-center gap-1.5"
          onSubmit={(event) => {
            event.preventDefault()
            keep()
          }}
        >
          <input
            // biome-ignore lint/a11y/noAutofocus: it was asked for by the button whose place it takes
            autoFocus
            aria-label="Name of the preset"
            placeholder="Name"
            maxLength={60}
            className="min-w-0 flex-1 border-b border-edge bg-transparent outline-none"
            value={name}
            onChange={(event) => setName(event.target.value)}
            onKeyDown={(event) => event.key === 'Escape' && setName(undefined)}
          />
          <button type="submit" className="plain-button !h-6" disabled={name.trim() === ''}>
            Keep
          </button>
        </form>
      )}
    </div>
  )
}

/** A setting that is a number, to a tenth. */
function Figure(props: {
  readonly caption: string
  readonly unit: string
  readonly name: 'lufs' | 'ceilingDb' | 'tailSeconds'
  readonly step: number
  readonly min: number
  readonly max: number
}) {
  const { caption, name, ...rest } = props
  const value = useSession((state) => state.outlook.exporting.settings[name])
  return (
    <Row caption={caption}>
      <NumberField
        {...rest}
        label={caption}
        width="3.4em"
        value={value}
        digits={1}
        onChange={(next) => setExport({ [name]: Number(next.toFixed(1)) })}
        onReset={() => setExport({ [name]: FIRST_EXPORT[name] })}
      />
    </Row>
  )
}
