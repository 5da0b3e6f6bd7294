import { Package } from 'lucide-react'
import { methodById } from '../../core'
import { exportInstrument } from '../session/exporting/instrumentFiles'
import type { Item, ItemGroup } from '../session/exporting/items'
import { saveTimelineText } from '../session/exporting/timelineTexts'
import { useSession } from '../session/state/store'
import { tick, useGroups } from './useItems'

/** All that can be exported, to be ticked: by source, and for the timeline, picks and takes. */
export function What() {
  const groups = useGroups()
  return (
    <section aria-label="What" className="flex min-h-0 min-w-0 flex-col border-r border-rule">
      <h3 className="caption shrink-0 px-5 pt-3 pb-1.5">What</h3>
      <div className="min-h-0 flex-1 overflow-y-auto px-5 pb-4">
        {groups.length === 0 && (
          <p className="text-soft">
            There is nothing to take away yet. Drop a sound on the shelf: each of its variants can become a file.
          </p>
        )}
        {groups.map((group) => (
          <Group key={group.key} group={group} />
        ))}
        <OverKeys />
      </div>
    </section>
  )
}

/** what of the timeline is no sound is saved at once */
const TEXTS = [
  ['midi', 'Tempo as MIDI', 'Tempo line, metre, and sections as marks'],
  ['json', 'as JSON', 'The tempo line as other sessions read it'],
  ['cues', 'Cue sheet', 'What is played when, as a page to be printed'],
] as const

const isLayer = ({ content }: Item) => content.kind === 'variant' && content.layer !== undefined

function Group({ group }: { readonly group: ItemGroup }) {
  const ticked = useSession((state) => state.outlook.exporting.ticked)
  const main = group.items.filter((item) => !isLayer(item))
  const layers = group.items.filter(isLayer)
  const count = main.filter(({ key }) => ticked.includes(key)).length
  const lines = (
    <div className="mt-1 grid gap-0.5">
      {main.map((item) => (
        <Line key={item.key} item={item} of={group.title} on={ticked.includes(item.key)} />
      ))}
    </div>
  )
  return (
    <fieldset className="border-t border-rule py-2 first:border-t-0">
      <legend className="sr-only">{group.title}</legend>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          aria-label={`All of ${group.title}`}
          checked={count === main.length}
          ref={(input) => {
            if (input) input.indeterminate = count > 0 && count < main.length
          }}
          onChange={(event) =>
            tick(
              main.map(({ key }) => key),
              event.target.checked,
            )
          }
        />
        <span className="truncate font-[560]">{group.title}</span>
      </label>
      {group.key.startsWith('section ') ? (
        // sections hold the same rows again
        <details open={count > 0} className="pl-[22px]">
          <summary className="text-[12.5px] text-soft hover:text-text">its mix, stems and click</summary>
          {lines}
        </details>
      ) : (
        <div className="pl-[22px]">{lines}</div>
      )}
      {group.key === 'timeline' && (
        <div className="mt-1 flex flex-wrap items-center gap-x-1 pl-[14px] text-[12.5px]">
          {TEXTS.map(([what, label, title]) => (
            <button
              key={what}
              type="button"
              className="plain-button !h-6"
              title={title}
              onClick={() => saveTimelineText(what)}
            >
              {label}
            </button>
          ))}
        </div>
      )}
      {group.key === 'picks' && <InstrumentButton what="pads" label="All pads as an instrument" />}
      {layers.length > 0 && (
        <div className="mt-1 flex flex-wrap items-center gap-x-3 pl-[22px] text-[12.5px] text-soft">
          <span>
            {layers[0]?.content.kind === 'variant' ? `${layers[0].content.variant.letter} by layer` : 'By layer'}
          </span>
          {layers.map((item) => (
            <label key={item.key} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                aria-label={`${group.title}: ${item.label}`}
                checked={ticked.includes(item.key)}
                onChange={(event) => tick([item.key], event.target.checked)}
              />
              {item.label}
            </label>
          ))}
        </div>
      )}
    </fieldset>
  )
}

function Line({ item, of, on }: { readonly item: Item; readonly of: string; readonly on: boolean }) {
  const { method, stretch, pitch } = item.fields
  const { content } = item
  const about =
    content.kind === 'variant' && method
      ? [methodById(method).label, stretch?.replace('x', '× '), pitch?.replace('st', ' st')].filter(Boolean).join(', ')
      : undefined
  return (
    <label className="flex min-w-0 items-center gap-2">
      <input
        type="checkbox"
        aria-label={`${of}: ${item.label}`}
        checked={on}
        onChange={(event) => tick([item.key], event.target.checked)}
      />
      <span className={about ? 'w-[1.1em] shrink-0 font-[560]' : 'truncate'}>{item.label}</span>
      {about && <span className="truncate text-[12.5px] text-soft">{about}</span>}
    </label>
  )
}

/** What lies over the keys becomes files only together. */
function OverKeys() {
  const name = useSession(
    ({ history: { present } }) => present.sources.find(({ id }) => id === present.keys?.source)?.name,
  )
  if (name === undefined) return null
  return (
    <section aria-label="Over the keys" className="border-t border-rule py-2">
      <p className="truncate font-[560]">{name}, over the keys</p>
      <InstrumentButton what="keys" label="As an instrument" />
    </section>
  )
}

const InstrumentButton = ({ what, label }: { readonly what: 'pads' | 'keys'; readonly label: string }) => (
  <button
    type="button"
    className="plain-button mt-0.5 !h-6 text-[12.5px]"
    title="Samples and the open text by which samplers play them, as one zip"
    onClick={() => void exportInstrument(what)}
  >
    <Package size={13} /> {label}
  </button>
)
