import { describe, expect, it } from 'vitest'
import { analyse } from '../analysis/analysis'
import { type AudioBlock, silence } from '../audio/block'
import { AS_WRITTEN, idealItems } from '../testing/ideals'
import { recipe } from '../testing/recipes'
import { block } from '../testing/signals'
import { rms } from '../testing/tone'
import { asSource } from '../timeline/axes'
import { checkJoins, type Join } from './joins'
import { joinsFrom, lanesOf, unjoined } from './lanes'
import { openRendering } from './openVoice'
import { checkRecipe } from './recipe'
import { renderBlock } from './renderTask'

const RATE = 12_000
const loop: AudioBlock = {
  sampleRate: RATE,
  channels: (idealItems.find(({ id }) => id === 'drums over chords')?.play(AS_WRITTEN).audio.channels ?? []).map(
    (channel) => channel.slice(0, 6 * RATE),
  ),
}
const known = analyse(loop, ['attacks', 'pitch', 'focus'])
const join = (source: number, methodId: string, more: Partial<Join> = {}): Join => ({
  source,
  methodId,
  settings: {},
  ...more,
})

describe('joined lanes', () => {
  const joins = [join(1.5, 'vocoder'), join(3.2, 'splice', { fade: 0.03 })]
  const joined = recipe('wsola', { stretch: 1.5, joins })
  const made = renderBlock(loop, joined)
  const { map, seams } = openRendering(loop, joined, known)
  const at = (seconds: number) => Math.round(map.outputAt(asSource(seconds * RATE)))

  it('are as long as one alone, and hand over at their moments', () => {
    expect(made.channels[0]?.length).toBe(Math.round(1.5 * 6 * RATE))
    expect(seams).toEqual([at(1.5), at(3.2)])
  })

  it('sound as each lane does that is begun where it takes over', () => {
    const first = renderBlock(loop, recipe('wsola', { stretch: 1.5 }))
    const fade = (n: number) => Math.round((joins[n]?.fade ?? 0.005) * RATE)
    made.channels.forEach((channel, c) => {
      expect(channel.subarray(0, at(1.5) - fade(0))).toEqual(first.channels[c]?.subarray(0, at(1.5) - fade(0)))
    })
    joins.forEach(({ methodId }, n) => {
      const from = at(joins[n]?.source ?? 0)
      const to = joins[n + 1] ? at(joins[n + 1]?.source ?? 0) - fade(n + 1) : map.outputFrames
      const { voice } = openRendering(loop, recipe(methodId, { stretch: 1.5 }), known)
      const alone = silence(loop.channels.length, to - from + fade(n))
      voice.read(from - fade(n), alone)
      made.channels.forEach((channel, c) => {
        expect(channel.subarray(from, to)).toEqual(alone[c]?.subarray(fade(n)))
      })
    })
  })

  it('come to the same samples in blocks of any size, and begun at a seam', () => {
    for (const size of [64, 1000, 4096]) {
      const { voice } = openRendering(loop, joined, known)
      const from = size === 1000 ? (seams[0] as number) : 0
      const out = silence(loop.channels.length, map.outputFrames - from)
      for (let done = 0; done < map.outputFrames - from; done += size)
        voice.read(
          from + done,
          out.map((channel) => channel.subarray(done, done + size)),
        )
      out.forEach((channel, c) => {
        expect(channel).toEqual(made.channels[c]?.subarray(from))
      })
    }
  })

  it('keep the level where they hand over, be they alike or not', () => {
    // noise by a method that draws it afresh has nothing in common with noise that is laid as it is
    const random = block(RATE, 1, 4 * RATE, (i) => 0.3 * Math.sin(i * i * 0.37 + 3 * Math.sin(i * 1.7)))
    const noise = renderBlock(random, recipe('drift', { stretch: 2, joins: [join(2, 'wsola', { fade: 0.4 })] }))
    const [channel] = noise.channels as [Float32Array]
    const middle = rms(channel.subarray(3.7 * RATE, 3.9 * RATE))
    const around = Math.sqrt(
      (rms(channel.subarray(3 * RATE, 3.5 * RATE)) ** 2 + rms(channel.subarray(4.1 * RATE, 4.6 * RATE)) ** 2) / 2,
    )
    expect(Math.abs(20 * Math.log10(middle / around))).toBeLessThan(0.6)
    // of a tone that both lay as it is the sum is the tone
    const tone = block(RATE, 1, 2 * RATE, (i) => 0.4 * Math.sin((2 * Math.PI * 300 * i) / RATE))
    const straight = renderBlock(tone, recipe('splice', { stretch: 1.02, joins: [join(1, 'splice', { fade: 0.1 })] }))
    const level = rms((straight.channels[0] as Float32Array).subarray(0.9 * RATE, 1.1 * RATE))
    expect(Math.abs(20 * Math.log10(level / (0.4 / Math.SQRT2)))).toBeLessThan(0.2)
  })

  it('that lie beyond the end or too close to the next are not heard', () => {
    const { seams: none } = openRendering(loop, recipe('wsola', { stretch: 1.5, joins: [join(7, 'vocoder')] }), known)
    expect(none).toEqual([])
    const close = [join(2, 'vocoder'), join(2.004, 'splice')]
    expect(openRendering(loop, recipe('wsola', { stretch: 1.5, joins: close }), known).seams).toEqual([at(2.004)])
  })

  it('fall into the pieces of whoever is heard where they are long', () => {
    const far = recipe('vocoder', { stretch: 20, joins: [join(3, 'drift')] })
    const rendering = openRendering(loop, far, known)
    const border = rendering.map.outputAt(asSource(3 * RATE))
    const alone = openRendering(loop, recipe('vocoder', { stretch: 20 }), known).seams
    expect(rendering.seams.filter((seam) => seam < border - 1)).toEqual(alone.filter((seam) => seam < border - RATE))
    expect(rendering.seams).toContain(Math.round(border))
    const from = rendering.seams.at(-1) as number
    const [begun, across] = [silence(2, RATE), silence(2, RATE + 3000)]
    openRendering(loop, far, known).voice.read(from, begun)
    openRendering(loop, far, known).voice.read(from - 3000, across)
    expect(begun[0]).toEqual(across[0]?.subarray(3000))
  })

  it('hold attacks where that does a lane good', () => {
    const held = recipe('vocoder', { holdPercent: 80, joins: [join(1, 'drift'), join(2, 'wsola')] })
    expect(lanesOf(held).map((lane) => [lane.recipe.methodId, lane.recipe.holdPercent])).toEqual([
      ['vocoder', 80],
      ['drift', undefined],
      ['wsola', 80],
    ])
    expect(unjoined(held, 'splice')).toEqual(recipe('splice', { holdPercent: 80 }))
  })

  it('of a part of the source begin with what sounded there', () => {
    expect(joinsFrom(joined, 1)).toEqual({ ...joined, joins: [join(0.5, 'vocoder'), { ...joins[1], source: 2.2 }] })
    expect(joinsFrom(joined, 1.5)).toEqual(
      recipe('vocoder', { stretch: 1.5, joins: [join(3.2 - 1.5, 'splice', { fade: 0.03 })] }),
    )
    expect(joinsFrom(joined, 4)).toEqual(recipe('splice', { stretch: 1.5 }))
    expect(joinsFrom(unjoined(joined), 4)).toEqual(unjoined(joined))
  })

  it.each([
    [[join(2, 'vocoder'), join(2, 'wsola')], /recipe\/join/],
    [[join(-1, 'vocoder')], /recipe\/join/],
    [[join(1, 'vocoder', { fade: 2 })], /recipe\/join/],
    [[join(1, 'varispeed')], /recipe\/join/],
    [[join(1, 'none')], /method\/unknown/],
    [[join(1, 'vocoder', { settings: { none: 1 } })], /setting\/unknown/],
  ] as const)('that do not hold are refused: %j', (wrong, code) => {
    expect(() => checkRecipe(recipe('wsola', { joins: wrong }))).toThrow(
      expect.objectContaining({ code: expect.stringMatching(code) }),
    )
  })

  it('join no method that ties the pitch to the speed', () => {
    expect(() => checkJoins(recipe('varispeed', { joins: [join(1, 'wsola')] }))).toThrow()
    expect(() => checkJoins(recipe('varispeed'))).not.toThrow()
  })
})
