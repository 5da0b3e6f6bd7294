import { createEnsemble, type PlayedNote, type ReadyInstrument, type Sounding } from '../core'
import type { NoteVoice } from '../core/play/noteVoice'
import { crossings } from './metronome'
import { type Guest, KEPT_FRAMES, type Overdub } from './overdub'
import { MARK_FRAMES } from './ring'
import { levelFrom, type Strand, type StrandBlock, silentBlock } from './strands'

/** What a hand, a keyboard or a pad does. */
export type NoteEvent = NoteOn | { readonly kind: 'off'; readonly note: number }

export interface NoteOn {
  readonly kind: 'on'
  /** tells it from all other notes */
  readonly note: number
  readonly instrument: string
  readonly key: number
  /** 0 to 1 */
  readonly velocity: number
  /** it begins when what plays next passes one of these places, as marks count; at once without */
  readonly at?: Float64Array
}

/** When something that was played came to be heard: the frame of what is written. */
export interface NotedEvent {
  readonly note: number
  readonly kind: 'on' | 'off'
  readonly frame: number
}

/** Notes that come round and round, as long as what plays stands. Frames of what is written. */
export interface Round {
  /** where the first time round begins */
  readonly begins: number
  /** once round, in decimals: it goes with beats */
  readonly frames: number
  /** counted from the start of a round */
  readonly notes: readonly PlayedNote[]
}

/** read beyond what is written: it may have been read on meanwhile */
const SPARE_BLOCKS = 4
/** how far behind a start that could be made now a key that is let go ends */
const OFF_BEHIND_BLOCKS = 8

interface Voiced {
  readonly one: Sounding
  readonly strand: Strand
  /** blocks that were read ahead and not laid yet */
  readonly ahead: StrandBlock[]
}

interface Opened {
  readonly event: NoteOn
  readonly instrument: ReadyInstrument
  readonly voice: NoteVoice
  /** read ahead */
  readonly blocks: StrandBlock[]
  /** of what begins at once */
  readonly strand: Strand | undefined
}

/** A note that waits for its place. */
interface Waiting extends Pick<Opened, 'event' | 'instrument' | 'voice'> {
  /** the frame at which it would have begun without waiting */
  readonly struck: number
  /** how long it was held, frames; undefined as long as it is */
  held: number | undefined
}

/**
 * Notes over what plays. A note is opened and read first, however long that takes, and laid over what is written as
 * near to what is heard as may be: all notes of one call at one frame. Letting go changes a level alone: nothing is
 * read again.
 * @param onNoted  told when a note that waited came to be heard.
 */
export function createNotes(
  overdub: Overdub,
  rate: number,
  instrumentOf: (id: string) => ReadyInstrument | undefined,
  onNoted: (events: readonly NotedEvent[]) => void = () => {},
) {
  const { strands } = overdub
  const ensemble = createEnsemble(rate)
  const scratch = silentBlock()
  let voiced: Voiced[] = []
  let waiting: Waiting[] = []
  let round: Round | undefined
  /** notes of a round are told from those that are struck */
  let roundNote = -1

  const guest: Guest = {
    write(at, mark, next) {
      if (waiting.length > 0) {
        for (const own of [...waiting]) {
          const offset = crossings(own.event.at ?? [], mark, next, MARK_FRAMES)[0]?.offset
          if (offset !== undefined) beginWaiting(own, at + offset)
        }
      }
      if (round) comeRound(round, at)
      for (const { one, strand, ahead } of voiced) {
        if (ensemble.endOf(one) <= at) continue
        const block = ahead.shift() ?? readInto(scratch, one, at)
        strands.put(strand, block.left, block.right)
      }
      const gone = new Set(ensemble.sweep(at - KEPT_FRAMES))
      if (gone.size === 0) return
      strands.remove(voiced.filter(({ one }) => gone.has(one)).map(({ strand }) => strand))
      voiced = voiced.filter(({ one }) => !gone.has(one))
    },
    get sounds() {
      return voiced.some(({ one }) => ensemble.endOf(one) > strands.written)
    },
  }
  overdub.join(guest)

  function readInto(block: StrandBlock, { voice, begins }: Pick<Sounding, 'voice' | 'begins'>, at: number) {
    voice.read(at - begins, block.left, block.right)
    return block
  }
  const read = (one: Pick<Sounding, 'voice' | 'begins'>, at: number) => readInto(silentBlock(), one, at)

  /** Let an opened note begin in what is written next, at any frame. */
  function beginAhead(note: number, instrument: ReadyInstrument, key: number, voice: NoteVoice, begins: number) {
    const one = ensemble.begin(note, instrument, key, voice, begins)
    const own: Voiced = { one, strand: strands.add(1, levelFrom(one.envelope, begins)), ahead: [] }
    voiced.push(own)
    return own
  }

  function beginWaiting(own: Waiting, begins: number) {
    waiting = waiting.filter((other) => other !== own)
    const { event, instrument, voice, held } = own
    beginAhead(event.note, instrument, event.key, voice, begins)
    const noted: NotedEvent[] = [{ note: event.note, kind: 'on', frame: begins }]
    if (held !== undefined) {
      // it lasts as long as it was held, and not what it waited less
      ensemble.release(event.note, begins + held)
      noted.push({ note: event.note, kind: 'off', frame: begins + held })
    }
    onNoted(noted)
  }

  /** What of a round begins in a block does so. */
  function comeRound({ begins, frames, notes }: Round, at: number) {
    for (const { instrument: id, key, velocity, on, off } of notes) {
      const first = begins + on
      const times = Math.max(0, Math.floor((at - first) / frames))
      const start = [times, times + 1]
        .map((n) => Math.round(first + n * frames))
        .find((frame) => frame >= at && frame < at + MARK_FRAMES)
      const instrument = start === undefined ? undefined : instrumentOf(id)
      if (start === undefined || !instrument) continue
      const note = roundNote--
      beginAhead(note, instrument, key, ensemble.open(instrument, key, velocity), start)
      if (off !== undefined) ensemble.release(note, start + off - on)
    }
  }

  /** Open a note, which may take long; what begins at once is read ahead, and has its strand. */
  function open(event: NoteOn): Opened | undefined {
    const instrument = instrumentOf(event.instrument)
    if (!instrument) return undefined
    const voice = ensemble.open(instrument, event.key, event.velocity)
    if (event.at) return { event, instrument, voice, blocks: [], strand: undefined }
    const needed = (strands.written - strands.free()) / MARK_FRAMES + SPARE_BLOCKS
    const blocks = Array.from({ length: needed }, (_, n) => read({ voice, begins: 0 }, n * MARK_FRAMES))
    // room for it is made before its frame is chosen: from there on little time is left
    return { event, instrument, voice, blocks, strand: strands.add() }
  }

  function layNow({ event, instrument, voice, blocks }: Opened, strand: Strand, from: number) {
    const one = ensemble.begin(event.note, instrument, event.key, voice, from)
    const laid = (strands.written - from) / MARK_FRAMES
    strand.level = levelFrom(one.envelope, from)
    while (blocks.length < laid) blocks.push(read(one, from + blocks.length * MARK_FRAMES))
    strands.lay(strand, blocks.slice(0, laid), from, from, 0)
    voiced.push({ one, strand, ahead: blocks.slice(laid) })
  }

  /** Lay a note where what plays passes a place: in what is written, or once that is. */
  function layInTime(places: Float64Array, own: Opened, from: number): NotedEvent[] {
    const begins = overdub.passes(places, from)
    const { event, instrument, voice } = own
    if (begins === undefined) {
      waiting.push({ event, instrument, voice, struck: from, held: undefined })
      return []
    }
    const { one, strand } = beginAhead(event.note, instrument, event.key, voice, begins)
    const blocks: StrandBlock[] = []
    const first = begins - (begins % MARK_FRAMES)
    for (let at = first; at < strands.written; at += MARK_FRAMES) blocks.push(read(one, at))
    strands.lay(strand, blocks, first, first, 0)
    return [{ note: event.note, kind: 'on', frame: begins }]
  }

  function letGo(note: number, ends: number): NotedEvent[] {
    const waits = waiting.find(({ event }) => event.note === note)
    if (waits) {
      waits.held = ends - waits.struck
      return []
    }
    ensemble.release(note, ends)
    return [{ note, kind: 'off', frame: ends }]
  }

  return {
    get sounding(): number {
      return voiced.filter(({ one }) => ensemble.endOf(one) > strands.written).length
    },
    /** Let notes come round from what is written next on; undefined for none. */
    setRound(next: Round | undefined) {
      round = next
    },
    /** Play events that came at once, in their order. @returns when each came to be heard, but for what waits. */
    play(events: readonly NoteEvent[]): readonly NotedEvent[] {
      const opened = new Map(events.map((event) => [event, event.kind === 'on' ? open(event) : undefined] as const))
      const from = strands.free()
      // an end may come a little later than a start: it is heard as it was told
      const ends = from + OFF_BEHIND_BLOCKS * MARK_FRAMES
      let changed = ends
      const noted = events.flatMap((event): NotedEvent[] => {
        if (event.kind === 'off') return letGo(event.note, ends)
        const own = opened.get(event)
        if (!own) return []
        if (!own.strand) {
          const begun = layInTime(event.at ?? new Float64Array(), own, from)
          changed = Math.min(changed, begun[0]?.frame ?? changed)
          return begun
        }
        layNow(own, own.strand, from)
        changed = from
        return [{ note: event.note, kind: 'on', frame: from }]
      })
      strands.rewrite(changed)
      return noted
    },
    /** Let all fade away; what waits is forgotten. */
    hush() {
      waiting = []
      const from = strands.free()
      ensemble.hush(from)
      strands.rewrite(from)
    },
  }
}

export type Notes = ReturnType<typeof createNotes>
