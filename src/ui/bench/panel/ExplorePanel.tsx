import { Check, Play, Square } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import {
  artefactKind,
  findingsOf,
  foundFigureOf,
  harmOf,
  isClose,
  methodById,
  planOf,
  type Spectrogram,
  worstOf,
} from '../../../core'
import { errorText } from '../../../host/errorText'
import { partFacts, recipeOf, type Source, soundKey, type Variant } from '../../../session'
import { LaneBadge } from '../../common/LaneBadge'
import { Progress } from '../../common/Progress'
import { Select } from '../../fields/Select'
import { setSetting } from '../../session/edits'
import { heardSound, hearTried, leaveTried, playback, togglePlay } from '../../session/hear/listening'
import { knownSoFar } from '../../session/know/analyses'
import { type ExploredTry, useSession } from '../../session/state/store'
import { exploredKey, exploreSetting, stopExploring } from '../../session/try/explore'
import { rangeOfTrial } from '../../session/try/trying'
import { drawLevels, loudestDb } from '../spectra/picture'
import { rampsOf } from '../spectra/ramps'

const PICTURE = { width: 118, height: 46 }

/** One setting over its range as a row of small renders with their figures: hear any, take one. */
export function ExplorePanel({ source, variant }: { source: Source; variant: Variant }) {
  const method = methodById(variant.methodId)
  const names = Object.keys(method.settings)
  const [wanted, setWanted] = useState<string>()
  const state = useSession((all) => all.explored[variant.id])
  const ready = useSession((all) => all.loads[soundKey(source)]?.status === 'ready')
  const analysis = useSession((all) => knownSoFar(all, source))
  const name = wanted && names.includes(wanted) ? wanted : state && names.includes(state.name) ? state.name : names[0]
  const setting = name === undefined ? undefined : method.settings[name]
  const picked = (analysis && method.pick?.(analysis, source.facts?.sampleRate ?? 48_000)) ?? {}

  const facts = partFacts(source)
  const { isSource } = planOf(recipeOf(source, variant), facts ?? { frames: 1, sampleRate: 48_000 })

  // what is heard of it is let go with the panel
  useEffect(() => leaveTried, [])

  if (variant.joins)
    return (
      <p className="px-5 py-4 text-soft">Joined lanes sound by the settings of each. Explore one of those lanes.</p>
    )
  if (name === undefined || !setting) {
    return <p className="px-5 py-4 text-soft">{method.label} has no settings to explore.</p>
  }
  if (isSource) {
    return (
      <p className="px-5 py-4 text-soft">
        The target is the source itself, so no setting does anything yet. Set a length or a pitch above first.
      </p>
    )
  }
  const now = variant.settings[variant.methodId]?.[name] ?? picked[name] ?? setting.default
  const current = state?.name === name ? state : undefined
  const old = current !== undefined && current.key !== exploredKey(source, variant, name)
  const running = current?.status === 'running'
  const done = current?.tries.filter(({ trial }) => trial).length ?? 0
  const harms = (current?.tries ?? []).flatMap(({ trial }) => (trial ? [harmOf(trial.measurement)] : []))
  const least = apart(harms) ? leastHarm(current?.tries ?? []) : undefined
  const most = Math.max(...harms)
  const topDb = Math.max(
    -120,
    ...(current?.tries ?? []).flatMap(({ picture }) => (picture ? [loudestDb(picture)] : [])),
  )

  return (
    <div className="flex flex-col px-5 py-2.5">
      <div className="flex items-center gap-3">
        <LaneBadge variant={variant} />
        <Select aria-label="Setting to explore" value={name} onChange={(event) => setWanted(event.target.value)}>
          {names.map((one) => (
            <option key={one} value={one}>
              {method.settings[one]?.label}
            </option>
          ))}
        </Select>
        <button
          type="button"
          className="solid-button !h-7"
          disabled={!ready || running}
          onClick={() => void exploreSetting(source, variant, name, now)}
        >
          {current && !old ? 'Try again' : 'Try its range'}
        </button>
        {running && (
          <Progress
            label="Exploring progress"
            value={done}
            max={current.tries.length}
            cancelLabel="Cancel exploring"
            onCancel={() => stopExploring(variant.id)}
          >
            {done} of {current.tries.length}
          </Progress>
        )}
        <p className="min-w-0 flex-1 truncate text-soft" role="status" title={setting.trades}>
          {current?.status === 'failed' ? (
            <span className="text-trouble">{errorText(current.error)}</span>
          ) : old ? (
            'Something else has changed since: these figures are of the recipe before.'
          ) : current?.status === 'done' && harms.length > 1 && !apart(harms) ? (
            'No difference that these figures tell: take what you like to hear.'
          ) : current?.status === 'cancelled' ? (
            'Stopped. What was tried stays below.'
          ) : (
            setting.trades
          )}
        </p>
      </div>
      {current && (
        <ul aria-label={`${setting.label} over its range`} className="mt-2.5 flex gap-1.5 overflow-x-auto pb-1">
          {current.tries.map((one) => (
            <Card
              key={String(one.value)}
              source={source}
              one={one}
              label={textOf(setting, one.value)}
              isNow={one.value === now}
              isLeast={!running && harms.length > 1 && one === least}
              share={one.trial && most > 0 ? harmOf(one.trial.measurement) / most : 0}
              topDb={topDb}
              old={old}
              onTake={() => {
                setSetting(source, variant, name, one.value)
                leaveTried()
              }}
            />
          ))}
        </ul>
      )}
    </div>
  )
}

/** Whether tries differ by more than their figures scatter: else none of them is better. */
const apart = (harms: readonly number[]) => harms.length > 1 && !isClose(Math.max(...harms), Math.min(...harms))

/** The try with least harm: one in which nothing is audible before any in which something is. */
function leastHarm(tries: readonly ExploredTry[]): ExploredTry | undefined {
  const audible = (one: ExploredTry) => (one.trial && (worstOf(one.trial.measurement)?.severity ?? 0) >= 1 ? 1 : 0)
  const harm = (one: ExploredTry) => (one.trial ? harmOf(one.trial.measurement) : Number.POSITIVE_INFINITY)
  return tries.filter(({ trial }) => trial).sort((a, b) => audible(a) - audible(b) || harm(a) - harm(b))[0]
}

type SettingLike = ReturnType<typeof methodById>['settings'][string]

function textOf(setting: SettingLike, value: number | string): string {
  if (setting.type === 'choice') return setting.options.find((option) => option.value === value)?.label ?? String(value)
  return `${Number(Number(value).toFixed(1))} ${setting.unit}`.trim()
}

function Card({
  source,
  one,
  label,
  isNow,
  isLeast,
  share,
  topDb,
  old,
  onTake,
}: {
  readonly source: Source
  readonly one: ExploredTry
  readonly label: string
  readonly isNow: boolean
  readonly isLeast: boolean
  readonly share: number
  readonly topDb: number
  readonly old: boolean
  readonly onTake: () => void
}) {
  const playing = useSession((state) => state.playing)
  const heard = useSession((state) => state.tried?.recipe === one.recipe)
  const told = one.trial ? findingsOf(one.trial.measurement).slice(0, 2) : []
  const hear = () => {
    const sound = heardSound(source)
    if (!sound || !one.trial) return
    if (heard && playback.playing === 'lane') togglePlay()
    else
      hearTried({
        sourceId: source.id,
        recipe: one.recipe,
        ...rangeOfTrial(one.recipe, one.trial, sound.decoded.sound),
      })
  }
  return (
    <li
      className="flex min-w-[98px] max-w-[150px] flex-1 flex-col gap-1 rounded-[4px] border px-[3px] pt-1 pb-1.5"
      style={{ borderColor: heard ? 'var(--tide)' : 'var(--rule)', opacity: old ? 0.55 : 1 }}
    >
      <span className="flex items-baseline gap-1.5 px-1">
        <b className="whitespace-nowrap font-[640]">{label}</b>
        <span className="caption ml-auto truncate" title={isLeast ? 'Least harm of these' : undefined}>
          {isNow ? 'now' : isLeast ? 'least' : ''}
        </span>
      </span>
      <button
        type="button"
        className="relative block w-full"
        disabled={!one.trial}
        aria-label={`Hear ${label}`}
        aria-pressed={heard}
        onClick={hear}
      >
        <Picture picture={one.picture} topDb={topDb} />
        {one.trial && (
          <span className="absolute right-1 bottom-1 rounded-[3px] bg-deck p-[3px]" aria-hidden="true">
            {heard && playing ? <Square size={11} /> : <Play size={11} />}
          </span>
        )}
      </button>
      <span className="h-[3px] bg-rule" aria-hidden="true">
        <span className="block h-full bg-[var(--harm)]" style={{ width: `${100 * share}%` }} />
      </span>
      <span className="min-h-[30px] px-1 text-[11.5px] leading-[15px] text-soft">
        {!one.trial && 'waiting'}
        {one.trial && told.length === 0 && 'nothing audible'}
        {told.map((finding) => (
          <span key={finding.artefact.id} className="block" title={artefactKind(finding.artefact.id).sounds}>
            {artefactKind(finding.artefact.id).label.toLowerCase()} {foundFigureOf(finding)}
          </span>
        ))}
      </span>
      <button
        type="button"
        className="plain-button mt-auto !h-5 justify-center !text-tide"
        disabled={!one.trial || isNow}
        aria-label={`Take ${label}`}
        onClick={onTake}
      >
        <Check size={12} /> Take
      </button>
    </li>
  )
}

function Picture({ picture, topDb }: { picture: Spectrogram | undefined; topDb: number }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const theme = useSession((state) => state.outlook.theme)
  useEffect(() => {
    const context = canvas.current?.getContext('2d')
    if (!context || !picture) return
    const { width, height } = PICTURE
    const image = context.createImageData(width, height)
    drawLevels(image.data, width, height, picture, { from: 0, to: 1 }, 'log', topDb, rampsOf(theme).levels)
    context.putImageData(image, 0, 0)
  }, [picture, topDb, theme])
  return <canvas ref={canvas} {...PICTURE} className="block h-[46px] w-full rounded-[2px] bg-well" />
}
