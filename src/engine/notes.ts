import { createEnsemble, type ReadyInstrument, type Sounding } from '../core'
import { type Guest, KEPT_FRAMES, type Overdub } from './overdub'
import { MARK_FRAMES } from './ring'
import { levelFrom, MARGIN_BLOCKS, type Strand, type StrandBlock, silentBlock } from './strands'

/** What a hand, a keyboard or a pad does. */
export type NoteEvent =
  | {
      readonly kind: 'on'
      /** tells it from all other notes */
      readonly note: number
      readonly instrument: string
      readonly key: number
      /** 0 to 1 */
      readonly velocity: number
    }
  | { readonly kind: 'off'; readonly note: number }

/** When something that was played came to be heard: the frame of what is written. */
export interface NotedEvent {
  readonly note: number
  readonly kind: 'on' | 'off'
  readonly frame: number
  /** the output had taken its very start before it was laid */
  readonly isLate?: boolean
}

/** read beyond what is written: it may have been read on meanwhile */
const SPARE_BLOCKS = 4
/** room before what is laid, at most: 85 ms */
const MOST_MARGIN_BLOCKS = 32
/** how far behind a start that could be made now a key that is let go ends */
const OFF_BEHIND_BLOCKS = 8

interface Voiced {
  readonly one: Sounding
  readonly strand: Strand
  /** blocks that were read ahead and not laid yet */
  readonly ahead: StrandBlock[]
}

/**
 * Notes over what plays. A note is opened and read first, however long that takes, and laid over what is written as
 * near to what is heard as may be: all notes of one call at one frame. Letting go changes a level alone: nothing is
 * read again.
 */
export function createNotes(overdub: Overdub, rate: number) {
  const { strands } = overdub
  const ensemble = createEnsemble(rate)
  const scratch = silentBlock()
  let voiced: Voiced[] = []
  /** blocks between what the output takes now and where a note may begin */
  let margin = MARGIN_BLOCKS

  const guest: Guest = {
    write(at) {
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

  return {
    get sounding(): number {
      return voiced.filter(({ one }) => ensemble.endOf(one) > strands.written).length
    },
    /** Play events that came at once, in their order. @returns when each came to be heard. */
    play(
      events: readonly NoteEvent[],
      instrumentOf: (id: string) => ReadyInstrument | undefined,
    ): readonly NotedEvent[] {
      const opened = events.flatMap((event) => {
        const instrument = event.kind === 'on' ? instrumentOf(event.instrument) : undefined
        if (event.kind !== 'on' || !instrument) return []
        const voice = ensemble.open(instrument, event.key, event.velocity)
        const blocks: StrandBlock[] = []
        const needed = (strands.written - strands.free(margin)) / MARK_FRAMES + SPARE_BLOCKS
        for (let n = 0; n < needed; n++) blocks.push(read({ voice, begins: 0 }, n * MARK_FRAMES))
        // room for it is made before its frame is chosen: from there on little time is left
        return [{ event, instrument, voice, blocks, strand: strands.add() }]
      })
      const from = strands.free(margin)
      const laid = (strands.written - from) / MARK_FRAMES
      // an end may come a little later than a start: it is heard as it was told
      const ends = from + OFF_BEHIND_BLOCKS * MARK_FRAMES
      const noted: NotedEvent[] = []
      for (const event of events) {
        if (event.kind === 'off') {
          ensemble.release(event.note, ends)
          noted.push({ note: event.note, kind: 'off', frame: ends })
          continue
        }
        const own = opened.find((one) => one.event === event)
        if (!own) continue
        const { instrument, voice, blocks, strand } = own
        const one = ensemble.begin(event.note, instrument, event.key, voice, from)
        strand.level = levelFrom(one.envelope, from)
        while (blocks.length < laid) blocks.push(read(one, from + blocks.length * MARK_FRAMES))
        strands.lay(strand, blocks.slice(0, laid), from, from, 0)
        voiced.push({ one, strand, ahead: blocks.slice(laid) })
        noted.push({ note: event.note, kind: 'on', frame: from })
      }
      if (events.length > 0) strands.rewrite(from)
      // it came too late: an output that takes more at once is given more room from now on
      if (opened.length === 0 || !strands.isPast(from)) return noted
      margin = Math.min(MOST_MARGIN_BLOCKS, margin + MARGIN_BLOCKS / 2)
      return noted.map((one) => ({ ...one, isLate: true }))
    },
    /** Let all fade away. */
    hush() {
      const from = strands.free(margin)
      ensemble.hush(from)
      strands.rewrite(from)
    },
  }
}

export type Notes = ReturnType<typeof createNotes>
