import { fillByPauses, type Pause, ratioToSemitones, SPEED_RANGE } from '../core'
import type { PictureMark, Slot } from './pictureSchema'
import { partFacts, partStart, timedFacts } from './recipe'
import type { Source } from './schema'
import { clampPitch, stretchFromSeconds } from './target'

/** Sounds against a picture: which film a source is seen with, from where, and the slot that it is to fill. */

type Sources = readonly Source[]

/** A slot of picture, seconds of the film. */
export interface OpenSlot {
  readonly film: Source
  readonly from: number
  readonly to: number
}

const isShown = (source: Source | undefined): source is Source => source?.facts?.picture !== undefined

const markOf = (film: Source, id: string | undefined): PictureMark | undefined =>
  id === undefined ? undefined : film.marks?.find((mark) => mark.id === id)

/** The slot that a source was given; undefined where its film is not there, or its marks no longer run forward. */
export function slotOf(sources: Sources, { slot }: Pick<Source, 'slot'>): OpenSlot | undefined {
  const film = slot && sources.find(({ id }) => id === slot.film)
  if (!slot || !isShown(film)) return undefined
  const from = slot.from === undefined ? 0 : markOf(film, slot.from)?.seconds
  const to = slot.to === undefined ? film.facts?.picture?.seconds : markOf(film, slot.to)?.seconds
  return from !== undefined && to !== undefined && from < to ? { film, from, to } : undefined
}

/** The film that a source is seen with, and the second of it at which the source's result begins. */
export function pictureOf(
  sources: Sources,
  source: Source,
): { readonly film: Source; readonly at: number } | undefined {
  const slot = slotOf(sources, source)
  if (slot) return { film: slot.film, at: slot.from }
  return isShown(source) ? { film: source, at: partStart(source) } : undefined
}

/** What fills a slot comes to: its stretch, its pitch where that goes with it, its speed curve. */
export interface Fill {
  readonly stretch: number
  readonly speedCurve?: { points: { seconds: number; percent: number }[] }
  /** result ÷ source of what is said, where its pauses give way first */
  readonly words?: number
  readonly pauses?: number
}

/** Bring a source to its slot; undefined where there is none, or no length like that. */
export function fillOf(sources: Sources, source: Source): Fill | undefined {
  const open = slotOf(sources, source)
  const facts = partFacts(source)
  if (!open || !facts || source.slot?.fill === 'free') return undefined
  const seconds = open.to - open.from
  if (source.slot?.fill === 'pauses') {
    const { frames, sampleRate } = facts
    const slotFrames = Math.round(seconds * sampleRate)
    const { points, words, pauses } = fillByPauses(pausesWithin(source), frames, slotFrames, sampleRate)
    if (points.some(({ percent }) => !(percent >= SPEED_RANGE.min && percent <= SPEED_RANGE.max))) return undefined
    const offset = partStart(source)
    return {
      stretch: 1,
      words,
      pauses,
      speedCurve: { points: points.map((point) => ({ ...point, seconds: point.seconds + offset })) },
    }
  }
  const timed = timedFacts(source)
  return timed && { stretch: stretchFromSeconds(seconds, timed) }
}

/** The pauses of the part that is worked with, in its frames. */
function pausesWithin({ slot, range, facts }: Source): Pause[] {
  const start = range?.start ?? 0
  const end = range?.end ?? facts?.frames ?? 0
  return (slot?.pauses ?? []).flatMap((pause) => {
    const own = { start: Math.max(start, pause.start) - start, end: Math.min(end, pause.end) - start }
    return own.end > own.start ? [own] : []
  })
}

/** A source as it fills its slot. A speed curve that pauses made goes with them. */
export function filled(sources: Sources, source: Source, before: Slot['fill'] | undefined): Source {
  const own = source.slot?.fill === 'even' && before === 'pauses' ? withCurve(source, undefined) : source
  const to = fillOf(sources, own)
  if (!to) return own
  const { target, follows } = own
  const pitch = target.tied && { pitchSemitones: clampPitch(-ratioToSemitones(to.stretch) || 0) }
  const made = {
    ...own,
    target: { ...target, stretch: to.stretch, ...pitch },
    follows: { ...follows, tempo: false },
  }
  return to.speedCurve ? withCurve(made, to.speedCurve) : made
}

function withCurve(source: Source, speedCurve: Fill['speedCurve']): Source {
  const { timing, ...rest } = source
  const { speedCurve: _, pacing: __, ...others } = timing ?? { pins: [], placed: [] }
  if (!speedCurve && others.pins.length === 0 && !others.rule) return rest
  return { ...rest, timing: { ...others, ...(speedCurve && { speedCurve }) } }
}
