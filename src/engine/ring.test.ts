import { describe, expect, it } from 'vitest'
import {
  createRingMemory,
  fillOf,
  isLow,
  lastHeard,
  MARK_FRAMES,
  markHeard,
  openRing,
  playBlock,
  RING_FRAMES,
  Slot,
  writeBlock,
} from './ring'

function filled(start: number): [Float32Array, Float32Array] {
  const left = Float32Array.from({ length: MARK_FRAMES }, (_, i) => (start + i) / 1e6)
  return [left, left.map((v) => -v)]
}

describe('the ring', () => {
  it.each([0, -RING_FRAMES, 2 ** 31 - 5 * MARK_FRAMES])(
    'plays what was written, in order, from counters at %d',
    (begin) => {
      const ring = openRing(createRingMemory())
      for (const slot of [Slot.read, Slot.write]) ring.control[slot] = begin
      ring.control[Slot.running] = 1
      const left = new Float32Array(MARK_FRAMES)
      const right = new Float32Array(MARK_FRAMES)
      let next = 0
      for (let round = 0; round < 600; round++) {
        const [l, r] = filled(round * MARK_FRAMES)
        writeBlock(ring, l, r, 1000 + round)
        if (round < 3) continue
        expect(fillOf(ring)).toBe(4 * MARK_FRAMES)
        expect(markHeard(ring)).toBe(1000 + round - 3)
        playBlock(ring, left, right)
        expect([left, right]).toEqual(filled(next))
        next += MARK_FRAMES
      }
      expect(ring.control[Slot.underruns]).toBe(0)
      expect(lastHeard(ring, MARK_FRAMES)[0]).toEqual(left)
    },
  )

  it('counts when it runs dry, plays silence then, and forgives it when the writer is done', () => {
    const ring = openRing(createRingMemory())
    const left = new Float32Array(MARK_FRAMES).fill(9)
    playBlock(ring, left, left)
    expect(ring.control[Slot.underruns]).toBe(0)
    ring.control[Slot.running] = 1
    playBlock(ring, left, new Float32Array(MARK_FRAMES))
    expect(ring.control[Slot.underruns]).toBe(1)
    expect(left.every((v) => v === 0)).toBe(true)
    ring.control[Slot.closing] = 1
    playBlock(ring, left, new Float32Array(MARK_FRAMES))
    expect(ring.control[Slot.underruns]).toBe(1)
    expect(markHeard(ring)).toBeUndefined()
  })

  it('is low while it plays and little is written, and at no other time', () => {
    for (const rate of [8000, 48_000, 192_000]) {
      const ring = openRing(createRingMemory())
      ring.control[Slot.rate] = rate
      const blocks = Math.ceil((0.08 * rate) / MARK_FRAMES)
      expect(isLow(ring)).toBe(false)
      ring.control[Slot.running] = 1
      expect(isLow(ring)).toBe(true)
      for (let n = 0; n < blocks; n++) writeBlock(ring, ...filled(0), 0)
      expect(isLow(ring)).toBe(false)
      for (let n = 0; n < 0.7 * blocks; n++)
        playBlock(ring, new Float32Array(MARK_FRAMES), new Float32Array(MARK_FRAMES))
      expect(isLow(ring)).toBe(true)
      ring.control[Slot.closing] = 1
      expect(isLow(ring)).toBe(false)
    }
  })
})
