import { describe, expect, it } from 'vitest'
import { makePieces } from './pieces'

const pieces = [0, 1, 2, 3, 4, 5, 6].map((n) => ({ from: 100 * n, to: 100 * (n + 1) }))
const later = () => new Promise<void>((resolve) => setTimeout(resolve, 0))

describe('pieces', () => {
  it('come in their order, whichever is done first, with a progress that ends at all of them', async () => {
    const seen: number[] = []
    let open = 0
    let most = 0
    const made = await makePieces(
      pieces,
      async ({ from }, index, onProgress) => {
        most = Math.max(most, ++open)
        onProgress(50)
        // the first ones take longest
        for (let n = index; n < 7; n++) await later()
        open--
        return `${index} at ${from}`
      },
      (progress) => seen.push(progress),
    )
    expect(made).toEqual(pieces.map(({ from }, index) => `${index} at ${from}`))
    expect(seen).toEqual([...seen].sort((a, b) => a - b))
    expect(seen.at(-1)).toBe(1)
    expect(most).toBeGreaterThan(1)
    expect(most).toBeLessThan(pieces.length)
  })

  it('are left when one fails, and tell why', async () => {
    const asked: number[] = []
    const making = makePieces(
      pieces,
      async (_, index) => {
        asked.push(index)
        await later()
        if (index === 1) throw new Error('out of room')
        return index
      },
      () => undefined,
    )
    await expect(making).rejects.toThrow('out of room')
    await later()
    await later()
    expect(asked.length).toBeLessThan(pieces.length)
  })
})
