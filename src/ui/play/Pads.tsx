import type { PickMark } from '../../session'
import { dbText } from '../common/formats'
import { LaneBadge } from '../common/LaneBadge'
import type { PickLook } from '../session/play/glances'
import { letGo, strike } from '../session/play/hands'
import { removePick } from '../session/play/picks'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { useLooks } from './useLooks'

/** keys of a pad, by its place */
export const PAD_KEYS = ['1', '2', '3', '4', '5', '6', '7', '8', '9', '0'] as const

/** Picks lie on pads by themselves, in their order: struck by pointer, number keys, or what is connected. */
export function Pads() {
  const picks = useSession((state) => state.history.present.picks)
  const looks = useLooks()
  if (picks.length === 0)
    return (
      <section aria-label="Pads" className="grid min-h-0 flex-1 place-items-center px-5 py-6">
        <p className="max-w-[56ch] text-center text-soft">
          No picks yet. Let the strip play and mark what is good as it passes: <kbd className="key">[</kbd> where it
          begins, <kbd className="key">]</kbd> where it ends. Or let moments be suggested. Each lies on a pad of its
          own.
        </p>
      </section>
    )
  return (
    <section
      aria-label="Pads"
      className="grid min-h-[76px] flex-1 auto-rows-[72px] grid-cols-[repeat(auto-fill,minmax(148px,1fr))] gap-1.5 overflow-y-auto px-5 py-2.5"
    >
      {picks.map((pick, n) => (
        <Pad key={pick.id} pick={pick} place={n} look={looks.get(pick.id)} />
      ))}
    </section>
  )
}

function Pad({
  pick,
  place,
  look,
}: {
  readonly pick: PickMark
  readonly place: number
  readonly look: PickLook | undefined
}) {
  const source = useSession((state) => state.history.present.sources.find(({ id }) => id === pick.source))
  const chosen = useSession((state) => state.outlook.pick === pick.id)
  const ready = useSession((state) => state.readyInstruments.has(pick.id))
  const struck = useSession((state) => state.struck.has(pick.id))
  const glance = look?.glance
  const twin = look?.twin?.name
  const variant = source?.variants.find(({ id, letter }) => id === pick.variant || letter === pick.variant)
  const key = PAD_KEYS[place % 10]
  const held = `pointer ${pick.id}`
  return (
    <button
      type="button"
      aria-label={`Pad ${place + 1}, ${pick.name}`}
      aria-pressed={chosen}
      aria-busy={!ready}
      title={`${pick.name}${source ? `, of ${source.name}` : ''}${twin ? `. Sounds much like ${twin}` : ''}`}
      className={`group relative flex touch-none flex-col overflow-hidden rounded-[3px] border text-left ${struck ? 'border-tide bg-[color-mix(in_srgb,var(--tide)_30%,var(--deck))]' : chosen ? 'border-tide bg-deck' : 'border-rule bg-deck hover:border-edge'}`}
      onPointerDown={(event) => {
        if (event.button !== 0) return
        event.currentTarget.setPointerCapture(event.pointerId)
        requestAnimationFrame(() => setOutlook({ pick: pick.id, playPanel: 'pick' }))
        // struck low on the pad it is soft
        const box = event.currentTarget.getBoundingClientRect()
        const height = (event.clientY - box.top) / box.height
        strike(held, pick.id, undefined, Math.max(0.25, 1 - 0.6 * height))
      }}
      onPointerUp={() => letGo(held)}
      onPointerCancel={() => letGo(held)}
      onFocus={() => setOutlook({ pick: pick.id })}
      onKeyDown={(event) => {
        if (event.key === 'Delete') {
          event.preventDefault()
          event.stopPropagation()
          removePick(pick.id)
        } else if ((event.key === ' ' || event.key === 'Enter') && !event.repeat) {
          event.preventDefault()
          event.stopPropagation()
          strike(`focus ${pick.id}`, pick.id)
        }
      }}
      onKeyUp={(event) => {
        if (event.key === ' ' || event.key === 'Enter') letGo(`focus ${pick.id}`)
      }}
    >
      <span className="flex w-full items-center gap-1.5 px-2 pt-1.5 text-[12.5px]">
        {place < 20 && (
          <kbd className="key">
            {place >= 10 && '⇧'}
            {key}
          </kbd>
        )}
        <span className="min-w-0 flex-1 truncate font-[560]">{pick.name}</span>
        <LaneBadge variant={variant} hollow={!struck} />
      </span>
      <Look high={glance?.high} reverse={pick.reverse} />
      <span className="absolute inset-x-2 bottom-1 flex gap-2 truncate text-[11px] text-soft">
        {ready ? (
          <>
            <span>{pick.play}</span>
            {pick.group && <span>group {pick.group}</span>}
            <span className="ml-auto truncate">
              {twin
                ? `like ${twin}`
                : glance && Number.isFinite(glance.loudness)
                  ? `${dbText(glance.loudness)} LUFS`
                  : ''}
            </span>
          </>
        ) : (
          <span className="text-tide">getting ready</span>
        )}
      </span>
    </button>
  )
}

/** A pick drawn small. */
function Look({ high, reverse }: { readonly high: readonly number[] | undefined; readonly reverse: boolean }) {
  if (!high) return <span className="h-[24px]" />
  const most = Math.max(1e-6, ...high)
  const own = reverse ? [...high].reverse() : high
  const width = 100 / own.length
  return (
    <svg viewBox="0 0 100 20" preserveAspectRatio="none" className="h-[24px] w-full px-2" aria-hidden="true">
      {own.map((value, n) => {
        const height = Math.max(0.6, (18 * value) / most)
        return (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: they have no other name than their place
            key={n}
            x={n * width}
            y={10 - height / 2}
            width={width * 0.8}
            height={height}
            fill="var(--soft)"
          />
        )
      })}
    </svg>
  )
}
