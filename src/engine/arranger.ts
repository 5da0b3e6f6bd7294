import {
  type Analysis,
  type Arrangement,
  clickVoice,
  type LaidMix,
  type LaidPart,
  layMix,
  type MixPart,
  openPart,
  openTempo,
  type PartVoice,
  type Preparing,
  rowGains,
  type SoundSource,
  type Voice,
} from '../core'
import type { Overdub } from './overdub'
import { MARK_FRAMES } from './ring'
import { type Strand, type StrandBlock, silentBlock } from './strands'

/** Where the sounds of parts are found, by the parts' `source`. */
export interface MixSounds {
  sound(source: string): SoundSource | undefined
  known(source: string): Analysis
}

/** The click of a timeline. A bar that is counted in is clicked at its level anyway. */
export interface Click {
  /** an amplitude */
  readonly level: number
  readonly on: boolean
}

/** A place to go on at, once a beat has come. */
export interface Jump {
  readonly beat: number
  readonly at: number
}

/** long enough for no click, short enough for an edge to stay one */
const CHANGE_SECONDS = 0.012
/** what was there has faded away right before the beat that is jumped to */
const JUMP_SECONDS = 0.005
const START_SECONDS = 0.002
const STOP_BLOCKS = 2
/** a jump is got ready when it is this near */
const JUMP_READY_SECONDS = 2.5
/** so much is read before it is needed */
const HEAD_BLOCKS = 16
/** blocks that are read in one step of work */
const STEP_BLOCKS = 4
/** what is on its way takes over within this, even where it has to be read from files first */
const CATCH_UP_SECONDS = 1
/** a part that begins within this is opened */
const SOON_SECONDS = 3
/** what begins within this is got ready: pieces of many long sounds may end at the same moment, and take a while */
const READY_SECONDS = 6

/** A part that plays: its strand, and what it is read from next. */
interface Playing {
  readonly laid: LaidPart
  readonly voice: PartVoice
  readonly strand: Strand
  /** read already, for the blocks that are written next */
  queue: StrandBlock[]
  /** the frame of the timeline that is got ready, or was, and what is still to be done for it */
  readyFor: number
  work: Preparing | undefined
}

/** What will take over, while it is got ready. */
interface Coming {
  readonly mix: LaidMix
  /** timeline frame less written frame */
  readonly shift: number
  /** the written frame from which on it fades in, and the block that this lies in */
  readonly start: number
  readonly first: number
  readonly fade: number
  /** a jump that was queued: it is got ready afresh where anything else changes before */
  readonly isJump: boolean
  readonly parts: {
    readonly laid: LaidPart
    readonly voice: PartVoice
    readonly blocks: StrandBlock[]
    work: Preparing | undefined
    /** whether what it comes to while it catches up has been looked after */
    looksAhead: boolean
  }[]
  /** parts that go on as they are */
  readonly kept: ReadonlySet<string>
}

/**
 * Plays an arrangement. Each part is a strand.
 * Whatever changes is got ready in spare time while what was there goes on. All of it takes over at one moment, and the
 * beat that sounds stays the beat that sounds.
 * Pure: no clock, no messages. `block` writes the next block. `work` does a little of what is needed before long.
 * @param beat  the beat that it begins at.
 * @param leadBeats  beats of the click alone before that.
 */
export function createArranger(
  overdub: Overdub,
  rate: number,
  sounds: MixSounds,
  first: Arrangement,
  { beat, leadBeats = 0, click }: { readonly beat: number; readonly leadBeats?: number; readonly click: Click },
) {
  const { strands } = overdub
  const left = new Float32Array(MARK_FRAMES)
  const right = new Float32Array(MARK_FRAMES)
  const gainOfClick = ({ level, on }: Click) => (on ? level : 0)
  const clicks = strands.add(gainOfClick(click))
  let mix = laidOn(first)
  let tempo = openTempo(first.tempoLine)
  let clicker: Voice = clickVoice(first, rate, 1)
  const begins = Math.round(tempo.secondsAt(beat) * rate)
  let shift = leadBeats > 0 ? Math.round(tempo.secondsAt(beat - leadBeats) * rate) : begins
  /** the timeline frame before which only the click is heard */
  const notBefore = leadBeats > 0 ? begins : Number.NEGATIVE_INFINITY
  let playing: Playing[] = []
  let leaving: Strand[] = []
  let coming: Coming | undefined
  let waiting: Arrangement | undefined
  let jump: Jump | undefined
  /** the timeline frame at which parts come, or are over */
  let gatherAt = Number.NEGATIVE_INFINITY

  function laidOn(arrangement: Arrangement): LaidMix {
    return layMix(arrangement, (source) => sounds.sound(source), rate)
  }

  const open = (laid: LaidPart): PartVoice => {
    const { source } = laid.part
    return openPart(laid, sounds.sound(source) as SoundSource, sounds.known(source), rate)
  }
  const beatAt = (frame: number) => tempo.beatAt(frame / rate)
  const overlaps = ({ from, to }: LaidPart, start: number, end: number) => from < end && to > start

  /** Strands in the order of the mix: sums come to what an export comes to. */
  function inOrder() {
    const own = new Set<Strand>([...playing.map(({ strand }) => strand), ...leaving, clicks])
    const others = strands.all.filter((strand) => !own.has(strand))
    const sorted = mix.parts.flatMap(({ part }) => playing.filter(({ laid }) => laid.part.id === part.id))
    strands.order([...sorted.map(({ strand }) => strand), ...leaving, clicks, ...others])
  }

  /** Have the parts that sound, or soon will; let go of those that are over. */
  function gather() {
    const now = strands.written + shift
    if (now < gatherAt) return
    const soon = SOON_SECONDS * rate
    const later = mix.parts.filter((laid) => laid.from >= now + soon).map((laid) => laid.from - soon + 1)
    const here = mix.parts.filter((laid) => overlaps(laid, now, now + soon))
    gatherAt = Math.min(...later, ...here.map((laid) => laid.to))
    const isNew = here.filter(({ part }) => !playing.some(({ laid }) => laid.part.id === part.id))
    const over = playing.filter(({ laid }) => laid.to <= now)
    if (isNew.length === 0 && over.length === 0) return
    const gains = rowGains(mix.arrangement)
    // what was read of them still has to be heard
    leaving.push(...over.map(({ strand }) => strand))
    for (const { strand } of over) strand.silentFrom = strands.written
    playing = [
      ...playing.filter((own) => !over.includes(own)),
      ...isNew.map((laid) => ({
        laid,
        voice: open(laid),
        strand: strands.add(gains[laid.part.row] ?? 0),
        queue: [],
        readyFor: Number.NaN,
        work: undefined,
      })),
    ]
    inOrder()
  }

  /** Strands that have been silent for longer than anything is written ahead. */
  function letGo() {
    const gone = leaving.filter(
      (strand) => strand.silentFrom <= strands.taken() || strands.isSilent(strand, strands.taken()),
    )
    if (gone.length === 0) return
    leaving = leaving.filter((strand) => !gone.includes(strand))
    strands.remove(gone)
  }

  function readInto(voice: PartVoice, at: number, out: StrandBlock) {
    voice.read(at, [out.left, out.right])
    if (at >= notBefore) return
    const silent = Math.min(MARK_FRAMES, notBefore - at)
    out.left.fill(0, 0, silent)
    out.right.fill(0, 0, silent)
  }

  /** The written frame at which a beat of what plays comes. */
  const writtenAt = (at: number) => Math.round(tempo.secondsAt(at) * rate) - shift

  /** Let an arrangement, or the same one from another beat on, take over. */
  function bring(arrangement: Arrangement, start: number, fade: number, toBeat?: number, isJump = false) {
    const next = arrangement === mix.arrangement ? mix : laidOn(arrangement)
    const nextTempo = openTempo(arrangement.tempoLine)
    const at = toBeat === undefined ? beatAt(start + shift) : toBeat
    // what fades in ends its fade on the beat that is jumped to
    const ahead = toBeat === undefined ? 0 : fade
    const newShift = Math.round(nextTempo.secondsAt(at) * rate) - ahead - start
    const firstBlock = start - (start % MARK_FRAMES)
    const position = firstBlock + newShift
    const sameLine = JSON.stringify(arrangement.tempoLine) === JSON.stringify(mix.arrangement.tempoLine)
    const kept = new Set<string>()
    const parts: Coming['parts'] = []
    for (const laid of next.parts) {
      const before = playing.find((own) => own.laid.part.id === laid.part.id)
      const stays = newShift === shift && before && sameSound(before.laid, laid, sameLine)
      if (stays) kept.add(laid.part.id)
      else if (overlaps(laid, position, position + SOON_SECONDS * rate)) {
        const voice = open(laid)
        parts.push({ laid, voice, blocks: [], work: voice.prepare(position), looksAhead: false })
      }
    }
    coming = { mix: next, shift: newShift, start, first: firstBlock, fade, isJump, parts, kept }
  }

  /** The written frame up to which what is coming has to be read. */
  const wantedTo = ({ first: from }: Coming) => Math.max(strands.written, from + HEAD_BLOCKS * MARK_FRAMES)

  function readOn(next: Coming, part: Coming['parts'][number], blocks: number): boolean {
    const { first: from, shift: by } = next
    for (let n = 0; n < blocks; n++) {
      const at = from + part.blocks.length * MARK_FRAMES
      if (at >= wantedTo(next)) return false
      const block = silentBlock()
      readInto(part.voice, at + by, block)
      part.blocks.push(block)
    }
    return true
  }

  /** Where a part on its way has a next piece right behind its start, that has to be there too when it catches up. */
  function lookAhead(next: Coming, part: Coming['parts'][number]): boolean {
    if (part.looksAhead) return false
    part.looksAhead = true
    // with its first block it holds on to the piece that it begins in
    readOn(next, part, 1)
    const start = next.first + next.shift
    const border = part.voice.nextStart(start)
    if (border - start < CATCH_UP_SECONDS * rate) part.work = part.voice.prepare(border)
    return true
  }

  /** Let what is ready take over in what is written. */
  function land(next: Coming) {
    const from = Math.max(next.start, strands.nearest())
    for (const part of next.parts) while (readOn(next, part, STEP_BLOCKS));
    const was = playing
    playing = []
    for (const own of was) {
      const { id } = own.laid.part
      const laid = next.mix.parts.find(({ part }) => part.id === id)
      const isComing = next.parts.some((part) => part.laid.part.id === id)
      if (laid && next.kept.has(id)) playing.push({ ...own, laid })
      else if (!isComing) {
        strands.setGain(own.strand, 0, from, next.fade / rate)
        leaving.push(own.strand)
      }
    }
    const gains = rowGains(next.mix.arrangement)
    for (const { laid, voice, blocks } of next.parts) {
      const before = was.find((own) => own.laid.part.id === laid.part.id)
      const strand = before?.strand ?? strands.add(gains[laid.part.row] ?? 0)
      strands.lay(strand, blocks, next.first, from, next.fade)
      const queue = blocks.slice(Math.max(0, (strands.written - next.first) / MARK_FRAMES))
      playing.push({ laid, voice, strand, queue, readyFor: Number.NaN, work: undefined })
    }
    mix = next.mix
    shift = next.shift
    gatherAt = Number.NEGATIVE_INFINITY
    tempo = openTempo(mix.arrangement.tempoLine)
    clicker = clickVoice(mix.arrangement, rate, 1)
    inOrder()
    setGains(from)
    layClick(from, next.fade)
    strands.remark(from, (at) => beatAt(at + shift))
    strands.rewrite(from)
    if (next.isJump) jump = undefined
    coming = undefined
  }

  function setGains(from: number) {
    const gains = rowGains(mix.arrangement)
    for (const { laid, strand } of playing) strands.setGain(strand, gains[laid.part.row] ?? 0, from)
  }

  function layClick(from: number, fade: number) {
    const start = from - (from % MARK_FRAMES)
    const blocks: StrandBlock[] = []
    for (let at = start; at < strands.written; at += MARK_FRAMES) {
      const block = silentBlock()
      clicker.read(at + shift, [block.left, block.right])
      blocks.push(block)
    }
    strands.lay(clicks, blocks, start, from, fade)
  }

  /** Whether what is coming may take over now: it is read, and there is room for its fade. */
  function isDue(next: Coming): boolean {
    const from = Math.max(next.start, strands.nearest())
    return strands.written >= from + next.fade
  }

  const change = (arrangement: Arrangement) => bring(arrangement, strands.free(), Math.round(CHANGE_SECONDS * rate))

  if (leadBeats > 0) clicks.gain = { ...clicks.gain, from: click.level, at: begins - shift, frames: 1 }
  gather()
  if (shift > 0)
    for (const { strand } of playing) {
      strand.gain = { from: 0, to: strand.gain.to, at: 0, frames: Math.max(1, Math.round(START_SECONDS * rate)) }
    }

  return {
    /** the queued jump, until it is made */
    get jump() {
      return jump
    },
    /** whether all is written, and nothing is to come */
    get ended() {
      return strands.written + shift >= mix.frames && !coming && !jump && !waiting
    },
    /** Another arrangement, from the beat that sounds by then. Levels are heard at once, the rest once it is ready. */
    setArrangement(next: Arrangement) {
      if (onlyLevelsDiffer(mix.arrangement, next) && !coming) {
        mix = { ...mix, arrangement: next }
        const from = strands.free()
        setGains(from)
        strands.rewrite(from)
        return
      }
      waiting = next
      // what is on its way lands first; what is to be jumped to is got ready again behind it
      if (coming?.isJump) coming = undefined
    },
    setClick(next: Click) {
      const gain = gainOfClick(next)
      if (clicks.gain.to === gain) return
      const from = strands.free()
      strands.setGain(clicks, gain, from)
      strands.rewrite(from)
    },
    /** Go on at another beat: once a beat has come, or at once. It takes the place of a jump that waits. */
    setJump(next: Jump | undefined) {
      jump = next
      if (coming?.isJump) coming = undefined
    },
    goTo(toBeat: number) {
      jump = undefined
      const fade = Math.round(CHANGE_SECONDS * rate)
      // what was on its way comes with it
      bring(waiting ?? coming?.mix.arrangement ?? mix.arrangement, strands.free(), fade, toBeat)
      waiting = undefined
    },
    /** Write the next block. */
    block() {
      gather()
      const at = strands.written + shift
      for (const own of playing) {
        const queued = own.queue.shift()
        if (queued) strands.put(own.strand, queued.left, queued.right)
        else if (overlaps(own.laid, at, at + MARK_FRAMES)) {
          readInto(own.voice, at, { left, right })
          strands.put(own.strand, left, right)
        }
      }
      clicker.read(at, [left, right])
      strands.put(clicks, left, right)
      overdub.commit(beatAt(at), beatAt(at + MARK_FRAMES))
      letGo()
    },
    /** Do a little of what is to be done; false where there is nothing. To be called in spare time. */
    work(): boolean {
      if (!coming && waiting) {
        const next = waiting
        waiting = undefined
        change(next)
        return true
      }
      if (!coming && jump) {
        const at = writtenAt(jump.at)
        if (at - strands.written > JUMP_READY_SECONDS * rate) return prepareSoon()
        const { beat: to } = jump
        const fade = Math.round(JUMP_SECONDS * rate)
        bring(mix.arrangement, Math.max(strands.free(), at - fade), fade, to, true)
        return true
      }
      if (!coming) return prepareSoon()
      let waits = false
      for (const part of coming.parts) {
        const step = part.work && stepOf(part)
        if (step === 'waits') waits = true
        else if (step || lookAhead(coming, part) || readOn(coming, part, STEP_BLOCKS)) return true
      }
      if (waits) return prepareSoon()
      if (!isDue(coming)) return false
      land(coming)
      return true
    },
    /** Fade away as soon as may be; what is written behind that is silent. */
    stop() {
      const from = strands.nearest()
      for (const strand of [...playing.map((own) => own.strand), clicks])
        strands.setGain(strand, 0, from, (STOP_BLOCKS * MARK_FRAMES) / rate)
      strands.rewrite(from)
    },
  }

  /** Have what begins soon ready before it does: parts, their next rounds, next pieces of long ones. */
  function prepareSoon(): boolean {
    const now = strands.written + shift
    for (const own of playing) {
      const step = own.work && stepOf(own)
      if (step === 'waits') continue
      if (step) return true
      const next = own.laid.from >= now ? own.laid.from : own.voice.nextStart(now)
      if (next === own.readyFor || next - now > READY_SECONDS * rate) continue
      own.readyFor = next
      own.work = own.voice.prepare(next)
      return true
    }
    return false
  }
}

export type Arranger = ReturnType<typeof createArranger>

/** Do a step of what is to be done for a part. */
function stepOf(part: { work: Preparing | undefined }): 'waits' | 'done' {
  const step = part.work?.next()
  if (step?.done) part.work = undefined
  return step?.value === 'waits' ? 'waits' : 'done'
}

/** Whether a part goes on as it was: the same sound by the same recipe at the same frames. */
function sameSound(before: LaidPart, now: LaidPart, sameLine: boolean): boolean {
  if (before.from !== now.from || before.to !== now.to) return false
  if (!sameLine && now.part.lock === 'bars' && now.part.own !== undefined) return false
  return contentOf(before.part) === contentOf(now.part)
}

function contentOf({ row: _, ...rest }: MixPart): string {
  return JSON.stringify(rest)
}

/** Whether two arrangements differ in the levels of their rows alone. */
function onlyLevelsDiffer(a: Arrangement, b: Arrangement): boolean {
  const rest = ({ rows, ...others }: Arrangement) => JSON.stringify([rows.length, others])
  return rest(a) === rest(b)
}
