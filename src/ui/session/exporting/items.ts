import { containers, type Prepare, type Recipe } from '../../../core'
import {
  type ExportSettings,
  isUntuned,
  keyMoved,
  keyOf,
  keyText,
  type NameField,
  namesBy,
  type PickMark,
  recipeOf,
  type Session,
  type Source,
  stemsOf,
  type Take,
  tempoOf,
  type Variant,
} from '../../../session'
import type { State } from '../state/store'

/** What can be taken away: every variant, its layers, the timeline, picks and takes. */

type Section = Session['sections'][number]

const LAYERS = ['sines', 'attacks', 'noise'] as const
type Layer = (typeof LAYERS)[number]

export type Content =
  | { readonly kind: 'variant'; readonly source: Source; readonly variant: Variant; readonly layer?: Layer }
  /** of the timeline: all of it, or a section */
  | { readonly kind: 'mix' | 'click'; readonly section?: Section }
  | { readonly kind: 'row'; readonly row: number; readonly section?: Section }
  | { readonly kind: 'pick'; readonly source: Source; readonly pick: PickMark }
  | { readonly kind: 'take'; readonly take: Take }

/** One file to be, not yet made. `key` stays the same as long as what it is of is there. */
export interface Item {
  readonly key: string
  readonly label: string
  readonly fields: Readonly<Partial<Record<NameField, string>>>
  readonly content: Content
}

export interface ItemGroup {
  readonly key: string
  readonly title: string
  readonly items: readonly Item[]
}

const OFF_DB = -60

/** What is left of a source when one layer of it is. */
export const layerAlone = (layer: Layer, prepare: Prepare = {}): Prepare => ({
  ...prepare,
  ...(layer !== 'sines' && { sinesDb: OFF_DB }),
  ...(layer !== 'attacks' && { attacksDb: OFF_DB }),
  ...(layer !== 'noise' && { noiseDb: OFF_DB }),
})

/** The recipe of an item; none of what is no single recipe's. */
export function recipeOfItem(content: Content): Recipe | undefined {
  if (content.kind !== 'variant') return undefined
  const recipe = recipeOf(content.source, content.variant)
  return content.layer ? { ...recipe, prepare: layerAlone(content.layer, recipe.prepare) } : recipe
}

const short = (value: number, digits: number) => String(Number(value.toFixed(digits)))

function variantFields(state: State, source: Source, variant: Variant): Item['fields'] {
  const { stretch, pitchSemitones } = recipeOf(source, variant)
  const known = state.knowledge[source.id] ?? undefined
  const { bpm } = tempoOf(source, known)
  const { key } = keyOf(source, known)
  const moved = key && !isUntuned(source, known) ? keyMoved(key, pitchSemitones) : undefined
  return {
    source: source.name,
    what: variant.letter,
    method: (variant.joins?.length ?? 0) > 0 ? 'joined' : variant.methodId,
    stretch: `x${short(stretch, 4)}`,
    pitch: pitchSemitones === 0 ? '' : `${pitchSemitones > 0 ? '+' : ''}${short(pitchSemitones, 2)}st`,
    ...(bpm !== undefined && { bpm: short(bpm / stretch, 2) }),
    ...(moved && { key: keyText(moved).replace('♯', '#') }),
  }
}

/** The mix, its stems, all of one length, and the click: of the whole timeline, or of one section. */
function timelineItems(session: Session, section?: Section): Item[] {
  if (session.parts.length === 0) return []
  const [prefix, of] = section ? [`section ${section.id} `, { section }] : ['', {}]
  const named = (source: string, what = ''): Item['fields'] =>
    section
      ? { source: section.name || `bar ${section.bar}`, what: what ? `${source}-${what}` : source }
      : { source, ...(what && { what }) }
  const stems = stemsOf(session).map(({ row }): Item => {
    const { id, name } = session.rows[row] ?? {}
    return {
      key: `${prefix}${rowKey(id)}`,
      label: name ?? `Row ${row + 1}`,
      fields: named(name ?? `row ${row + 1}`, 'stem'),
      content: { kind: 'row', row, ...of },
    }
  })
  return [
    { key: `${prefix}mix`, label: 'The mix', fields: named('mix'), content: { kind: 'mix', ...of } },
    ...stems,
    { key: `${prefix}click`, label: 'The click', fields: named('click'), content: { kind: 'click', ...of } },
  ]
}

export const variantKey = ({ id }: Pick<Source, 'id'>, variant: Pick<Variant, 'id'>) => `variant ${id} ${variant.id}`
const ROW = 'row '
const TAKE = 'take '
export const rowKey = (rowId: string | undefined) => `${ROW}${rowId}`
export const takeKey = ({ id }: Pick<Take, 'id'>) => `${TAKE}${id}`
/** whether a key is of the whole timeline */
export const isOfTimeline = (key: string) => key === 'mix' || key === 'click' || key.startsWith(ROW)
export const isOfTakes = (key: string) => key.startsWith(TAKE)

/** What has this key, as it is now; undefined where it is gone. */
export const itemOf = (state: State, key: string): Item | undefined =>
  itemGroups(state)
    .flatMap(({ items }) => items)
    .find((item) => item.key === key)

/** All that can be taken from a session, in the order in which it is shown. */
export function itemGroups(state: State): ItemGroup[] {
  const { present: session } = state.history
  const groups: ItemGroup[] = session.sources.flatMap((source) => {
    if (source.variants.length === 0) return []
    const items: Item[] = source.variants.map((variant) => ({
      key: variantKey(source, variant),
      label: variant.letter,
      fields: variantFields(state, source, variant),
      content: { kind: 'variant', source, variant },
    }))
    const layers = source.variants.slice(0, 1).flatMap((variant) =>
      LAYERS.map(
        (layer): Item => ({
          key: `layer ${source.id} ${variant.id} ${layer}`,
          label: layer,
          fields: { ...variantFields(state, source, variant), what: `${variant.letter}-${layer}` },
          content: { kind: 'variant', source, variant, layer },
        }),
      ),
    )
    return [{ key: source.id, title: source.name, items: [...items, ...layers] }]
  })
  const timeline = timelineItems(session)
  const sections = session.sections.map(
    (section): ItemGroup => ({
      key: `section ${section.id}`,
      title: section.name || `Bar ${section.bar}`,
      items: timelineItems(session, section),
    }),
  )
  const picks = session.picks.flatMap((pick): Item[] => {
    const source = session.sources.find(({ id }) => id === pick.source)
    if (!source) return []
    const fields = { source: source.name, what: pick.name }
    return [{ key: `pick ${pick.id}`, label: pick.name, fields, content: { kind: 'pick', source, pick } }]
  })
  const takes = session.takes.map(
    (take): Item => ({
      key: takeKey(take),
      label: take.name,
      fields: { source: take.name, what: 'take' },
      content: { kind: 'take', take },
    }),
  )
  return [
    ...(timeline.length > 0 ? [{ key: 'timeline', title: 'Timeline', items: timeline }, ...sections] : []),
    ...groups,
    ...(picks.length > 0 ? [{ key: 'picks', title: 'Picks', items: picks }] : []),
    ...(takes.length > 0 ? [{ key: 'takes', title: 'Takes', items: takes }] : []),
  ]
}

/** What is ticked, in order, each with the name that its file will have. */
export function tickedItems(state: State, today: string): { readonly item: Item; readonly name: string }[] {
  const { ticked, settings } = state.outlook.exporting
  const wanted = new Set(ticked)
  const items = itemGroups(state).flatMap((group) => group.items.filter(({ key }) => wanted.has(key)))
  const names = namesBy(
    settings.pattern,
    settings.container,
    items.map(({ fields }) => ({ ...fields, date: today })),
  )
  return items.map((item, n) => ({ item, name: names[n] as string }))
}

/** How a file will hold its sound, in words. */
export function settingsText({ container, depth, rate, mono, level, lufs }: ExportSettings): string {
  const { label, exact } = containers[container]
  return [
    label,
    exact && depth !== 'source' ? (depth === '32f' ? '32-bit float' : `${depth} bits`) : undefined,
    rate === 'source' ? undefined : `${rate / 1000} kHz`,
    mono ? 'mono' : undefined,
    level === 'loudness'
      ? `${lufs} LUFS`
      : level === 'match'
        ? 'as loud as its source'
        : level === 'peak'
          ? 'to its peak'
          : undefined,
  ]
    .filter((word) => word !== undefined)
    .join(', ')
}
