import { describe, expect, it } from 'vitest'
import { concat } from '../audio/byteWriter'
import { readWav } from '../audio/readWav'
import { AppError } from '../errors'
import { finish } from '../task'
import { recipe } from '../testing/recipes'
import { chord, noise } from '../testing/signals'
import { exportTask } from './exportTask'
import { checkRecipe } from './recipe'
import { renderBlock } from './renderTask'
import { resultName } from './resultName'

const markers = {
  cues: [{ frame: 1000, label: 'here' }],
  loops: [{ startFrame: 500, endFrame: 4000, kind: 'forward' as const, plays: 0 }],
}

function exported(...[source, order]: [Parameters<typeof exportTask>[0], Parameters<typeof exportTask>[1]]) {
  const parts: Uint8Array[] = []
  const facts = finish(exportTask(source, order, (bytes) => parts.push(bytes)))
  return { bytes: concat(parts), facts }
}

describe('exportTask', () => {
  it('writes exactly what a render gives, with the marks at their mapped places', () => {
    const source = chord({ hz: [220, 330], seconds: 0.4 })
    const r = recipe('wsola', { stretch: 1.5, pitchSemitones: 2 })
    const { bytes, facts } = exported(source, { recipe: r, format: '32f', markers })
    const back = readWav(bytes, 'x.wav')
    expect(back.audio.channels).toEqual(renderBlock(source, r).channels)
    expect(back.markers.cues).toEqual([{ frame: 1500, label: 'here' }])
    expect(back.markers.loops).toEqual([{ startFrame: 750, endFrame: 6000, kind: 'forward', plays: 0 }])
    expect(facts.bytes).toBe(bytes.length)
    expect(facts.frames).toBe(back.audio.channels[0]?.length)
  })

  it('gives a 16-bit source back bit for bit, undithered, when nothing is changed', () => {
    const sixteen = noise({ seconds: 0.1, seed: 2 })
    const grid = {
      ...sixteen,
      channels: sixteen.channels.map((c) => c.map((v) => (Math.round(v * 32_768) || 0) / 32_768)),
    }
    const { bytes } = exported(grid, { recipe: recipe('vocoder'), format: '16', markers, sourceBits: 16 })
    expect(readWav(bytes, 'x.wav').audio.channels).toEqual(grid.channels)
  })

  it('tells its progress, which never falls and ends at the whole', () => {
    const task = exportTask(
      noise({ seconds: 0.5, seed: 1 }),
      { recipe: recipe('grain', { stretch: 2 }), format: '24', markers },
      () => {},
    )
    let last = 0
    for (let step = task.next(); !step.done; step = task.next()) {
      expect(step.value.doneFrames).toBeGreaterThanOrEqual(last)
      last = step.value.doneFrames
      expect(step.value.totalFrames).toBe(48_000)
    }
    expect(last).toBe(48_000)
  })

  it('refuses a file longer than a WAV can be before it writes a byte', () => {
    const task = exportTask(
      noise({ seconds: 60, seed: 1, channels: 2, sampleRate: 96_000 }),
      { recipe: recipe('grain', { stretch: 1000 }), format: '24', markers },
      () => {
        throw new Error('wrote')
      },
    )
    expect(() => task.next()).toThrow(AppError)
  })
})

describe('checkRecipe', () => {
  it.each([
    [{ stretch: 0 }, 'recipe/range'],
    [{ stretch: Number.NaN }, 'recipe/range'],
    [{ pitchSemitones: 37 }, 'recipe/range'],
    [{ seed: -1 }, 'recipe/range'],
    [{ settings: { windowMs: 9 } }, 'setting/range'],
    [{ settings: { nonsense: 1 } }, 'setting/unknown'],
    [{ settings: { overlap: '5' } }, 'setting/range'],
  ])('refuses %o', (change, code) => {
    expect(() => checkRecipe(recipe('vocoder', change as object))).toThrow(expect.objectContaining({ code }))
  })

  it('names the methods there are when one is unknown', () => {
    expect(() => checkRecipe(recipe('tape'))).toThrow(expect.objectContaining({ code: 'method/unknown' }))
  })
})

describe('resultName', () => {
  it.each([
    ['Rope winch', { stretch: 0.8, pitchSemitones: 2 }, 'Rope-winch_x0.8_+2st_wsola.wav'],
    ['a/b:c.wav', { stretch: 1.2345678 }, 'a-b-c_x1.2346_wsola.wav'],
    ['bell.v2.flac', { stretch: 1, pitchSemitones: -0.5 }, 'bell.v2_x1_-0.5st_wsola.wav'],
    ['..', { stretch: 2 }, 'sound_x2_wsola.wav'],
  ])('says what was done to %s', (name, change, expected) => {
    expect(resultName(name, recipe('wsola', change))).toBe(expected)
  })
})
