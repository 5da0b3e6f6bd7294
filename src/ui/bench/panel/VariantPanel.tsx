import { Copy, Download, Trash2 } from 'lucide-react'
import { firstLanes, methodById, methodText, planOf, type Setting } from '../../../core'
import {
  kindOf,
  MAX_VARIANTS,
  type Outlook,
  partFacts,
  recipeOf,
  type Source,
  soundKey,
  type Variant,
} from '../../../session'
import { rateText } from '../../common/formats'
import { LaneBadge } from '../../common/LaneBadge'
import { Progress } from '../../common/Progress'
import { NumberField } from '../../fields/NumberField'
import { Select } from '../../fields/Select'
import { copyVariant, removeVariant } from '../../session/acts'
import { setMethod, setSeed, setSetting } from '../../session/edits'
import { variantKey } from '../../session/exporting/items'
import { aheadOf, cancelExport, exportAll, exportVariant } from '../../session/exporting/quick'
import { knownSoFar } from '../../session/know/analyses'
import { knowledgeOf } from '../../session/know/knowledge'
import { fileNameOf } from '../../session/render/fileNames'
import { setOutlook } from '../../session/state/outlook'
import { useSession } from '../../session/state/store'
import { JoinPanel } from '../joins/JoinPanel'
import { MethodMenu } from '../MethodMenu'

const FORMATS = [
  ['source', 'as source'],
  ['16', '16 bit'],
  ['24', '24 bit'],
  ['32f', '32 float'],
] as const

const RATES: readonly Outlook['rate'][] = ['source', '44100', '48000', '88200', '96000']

/** Method and settings of the variant that was last listened to, and its way out as a file. */
export function VariantPanel({ source, variant }: { source: Source; variant: Variant }) {
  const method = methodById(variant.methodId)
  const values = variant.settings[variant.methodId] ?? {}
  const recipe = recipeOf(source, variant)
  // the very analysis that renders get: of the part that is worked with, its attacks as corrected
  const analysis = useSession((state) => knownSoFar(state, source))
  const facts = partFacts(source)
  // what the method takes for this material when nothing is set by hand
  const picked = (analysis && method.pick?.(analysis, facts?.sampleRate ?? 48_000)) ?? {}
  const found = useSession((state) => knowledgeOf(state, source))
  const { kind } = kindOf(source, found)
  const lanes = firstLanes(kind ?? 'unsure')
  // the lane that a sound of this kind begins with says why
  const why =
    kind && kind !== 'unsure' && lanes.methodIds[0] === method.id ? `First for ${kind}: ${lanes.why}` : undefined
  const full = source.variants.length >= MAX_VARIANTS
  const { pitchSemitones } = planOf(recipe, facts ?? { frames: 1, sampleRate: 48_000 })

  return (
    <section
      aria-label={`Variant ${variant.letter}`}
      className="grid shrink-0 grid-cols-[minmax(0,1fr)_auto] gap-x-8 border-t border-rule bg-deck px-5 py-3 max-[960px]:grid-cols-1 max-[960px]:gap-y-3 max-[1180px]:gap-x-5"
    >
      <div className="min-w-0">
        <div className="flex items-center gap-2.5">
          <LaneBadge variant={variant} />
          {variant.joins ? (
            <>
              <span className="wide px-1.5 text-[15px]">Joined lanes</span>
              <span className="caption min-w-0 flex-1 truncate" title={methodText(variant)}>
                {methodText(variant)}
              </span>
            </>
          ) : (
            <>
              <MethodMenu
                label={`Method of variant ${variant.letter}: ${method.label}`}
                value={variant.methodId}
                onChange={(methodId) => setMethod(source, variant, methodId)}
              >
                <span className="wide text-[15px]">{method.label}</span>
              </MethodMenu>
              <span className="caption min-w-0 flex-1 truncate" title={`${why ? `${why}. ` : ''}${method.use}`}>
                {why ?? method.use}
              </span>
            </>
          )}
          <button
            type="button"
            className="plain-button"
            disabled={full}
            aria-label="Copy"
            title={full ? 'There is a variant for every letter' : `Copy variant ${variant.letter}`}
            onClick={() => copyVariant(source, variant)}
          >
            <Copy size={14} /> <span className="wide-only">Copy</span>
          </button>
          <button
            type="button"
            className="plain-button"
            aria-label="Remove"
            title={`Remove variant ${variant.letter}`}
            onClick={() => removeVariant(source, variant)}
          >
            <Trash2 size={14} /> <span className="wide-only">Remove</span>
          </button>
        </div>
        {variant.joins && <JoinPanel source={source} variant={variant} />}
        {!variant.joins && (
          <div className="mt-2 flex flex-wrap items-end gap-x-5 gap-y-2">
            {Object.entries(method.settings).map(([name, setting]) => (
              <SettingControl
                key={`${variant.id} ${variant.methodId} ${name}`}
                name={name}
                setting={setting}
                picked={picked[name]}
                value={values[name] ?? picked[name] ?? setting.default}
                onChange={(value, gesture) => setSetting(source, variant, name, value, gesture)}
              />
            ))}
            {method.seeded && (
              <span className="flex flex-col gap-0.5">
                <span className="caption">Seed</span>
                <NumberField
                  label="Seed"
                  width="2.6em"
                  value={variant.seed}
                  digits={0}
                  min={0}
                  max={9999}
                  step={1}
                  onChange={(seed, gesture) => setSeed(source, variant, Math.round(seed), gesture)}
                  onReset={() => setSeed(source, variant, 1)}
                />
              </span>
            )}
            {source.target.holdPercent > 0 && !method.gainsByHold && (
              <p className="caption max-w-[46ch]">
                Attack hold is left out here: pieces this long, thrown over an attack, spread it whether it is held or
                not.
              </p>
            )}
            {method.tiesPitchToSpeed && (
              <p className="caption max-w-[46ch]">
                Length and pitch are one here: the target comes to {pitchSemitones >= 0 ? '+' : '−'}
                {Math.abs(pitchSemitones).toFixed(2)} st.
              </p>
            )}
          </div>
        )}
      </div>
      <ExportControl source={source} variant={variant} name={fileNameOf(source, variant)} />
    </section>
  )
}

function SettingControl(props: {
  name: string
  setting: Setting
  /** what the material asks for; then that is what the setting rests at */
  picked: number | string | undefined
  value: number | string
  onChange: (value: number | string | undefined, gesture?: string) => void
}) {
  const { name, setting, picked, value, onChange } = props
  const changed = value !== (picked ?? setting.default)
  return (
    <span
      className="flex flex-col gap-0.5"
      title={
        picked === undefined
          ? setting.trades
          : `${setting.trades} Picked for this sound; a double click goes back to that.`
      }
    >
      <span className={`caption ${changed ? '!text-text' : ''}`}>
        {setting.label}
        {picked !== undefined && !changed && ' · by the sound'}
      </span>
      {setting.type === 'number' ? (
        <NumberField
          label={setting.label}
          unit={setting.unit}
          width="3em"
          value={value as number}
          digits={setting.step < 1 || (value as number) % 1 !== 0 ? 1 : 0}
          min={setting.min}
          max={setting.max}
          step={setting.max - setting.min > 200 && setting.scale === 'linear' ? 5 : Math.max(1, setting.step)}
          scale={setting.scale}
          onChange={onChange}
          onReset={() => onChange(undefined)}
        />
      ) : (
        <Select
          aria-label={setting.label}
          name={name}
          value={value}
          onChange={(event) => onChange(event.target.value)}
          onDoubleClick={() => onChange(undefined)}
        >
          {setting.options.map((option) => (
            <option key={option.value} value={option.value}>
              {option.label}
            </option>
          ))}
        </Select>
      )}
    </span>
  )
}

function ExportControl({ source, variant, name }: { source: Source; variant: Variant; name: string }) {
  const format = useSession((state) => state.outlook.format)
  const rate = useSession((state) => state.outlook.rate)
  const running = useSession((state) => aheadOf(state.queue, (key) => key === variantKey(source, variant)))
  const heard = useSession((state) => state.loads[soundKey(source)]?.status === 'ready')
  const ownRate = source.facts ? `${rateText(source.facts.sampleRate)}, own` : 'own rate'
  return (
    <div className="flex w-[262px] flex-col justify-between gap-2 border-l border-rule pl-5 max-[960px]:border-l-0 max-[960px]:pl-0">
      {running ? (
        <>
          <span className="caption truncate">
            {running.status === 'waiting' ? 'Waiting:' : 'Writing'} {running.name}
          </span>
          <div className="flex items-center gap-2">
            <Progress
              label="Export progress"
              value={running.progress}
              wide
              cancelLabel="Cancel export"
              onCancel={() => cancelExport(source, variant)}
            >
              {Math.round(running.progress * 100)} %
            </Progress>
          </div>
        </>
      ) : (
        <>
          <span className="caption truncate" title={name}>
            {name}
          </span>
          <div className="flex items-center justify-between gap-2">
            <Select
              aria-label="Depth of the file"
              value={format}
              onChange={(event) => setOutlook({ format: event.target.value as Outlook['format'] })}
            >
              {FORMATS.map(([value, label]) => (
                <option key={value} value={value}>
                  WAV {label}
                </option>
              ))}
            </Select>
            <Select
              aria-label="Rate of the file"
              value={rate}
              onChange={(event) => setOutlook({ rate: event.target.value as Outlook['rate'] })}
            >
              {RATES.map((value) => (
                <option key={value} value={value}>
                  {value === 'source' ? ownRate : rateText(Number(value))}
                </option>
              ))}
            </Select>
          </div>
          <div className="flex items-center justify-between gap-2">
            {source.variants.length > 1 ? (
              <button
                type="button"
                className="plain-button !text-tide"
                disabled={!heard}
                title="Every lane as a file of its own"
                onClick={() => void exportAll(source)}
              >
                All {source.variants.length} lanes
              </button>
            ) : (
              <span />
            )}
            <button
              type="button"
              className="solid-button"
              disabled={!heard}
              title="Export what is heard (E)"
              onClick={() => void exportVariant(source, variant)}
            >
              <Download size={15} /> Export {variant.letter}
            </button>
          </div>
        </>
      )}
    </div>
  )
}
