import { describe, expect, it } from 'vitest'
import { straightMap } from '../../core'
import { createRandom } from '../../core/dsp/random'
import { amend, change, type History, redo, startHistory, undo } from './history'
import { matchedGains } from './matching'
import {
  firstOutlook,
  firstSession,
  freeLetter,
  keptSchema,
  newSource,
  newVariant,
  recipeOf,
  type SourceFacts,
} from './model'
import {
  barsOf,
  bpmOf,
  clampPitch,
  pitchFromParts,
  pitchParts,
  secondsOf,
  shortestInterval,
  stretchFromBars,
  stretchFromBpm,
  stretchFromPercent,
  stretchFromSeconds,
} from './target'

interface Toy {
  count: number
  list: number[]
}

describe('history', () => {
  it('undoes and redoes any run of edits to the same states', () => {
    const random = createRandom(8)
    let history: History<Toy> = startHistory({ count: 0, list: [] })
    const states: Toy[] = [history.present]
    for (let n = 0; n < 60; n++) {
      const kind = random()
      history = change(history, 'edit', (draft) => {
        if (kind < 0.4) draft.count += 1 + Math.floor(random() * 5)
        else if (kind < 0.7 || draft.list.length === 0)
          draft.list.splice(Math.floor(random() * (draft.list.length + 1)), 0, n)
        else draft.list.splice(Math.floor(random() * draft.list.length), 1)
      })
      states.push(history.present)
    }
    for (let n = states.length - 1; n > 0; n--) {
      expect(history.present).toEqual(states[n])
      history = undo(history)
    }
    expect(history.present).toEqual(states[0])
    for (let n = 1; n < states.length; n++) {
      history = redo(history)
      expect(history.present).toEqual(states[n])
    }
    expect(redo(history)).toBe(history)
  })

  it('makes one step of a gesture, two of two, none of nothing', () => {
    let history: History<Toy> = startHistory({ count: 0, list: [] })
    for (let n = 1; n <= 20; n++)
      history = change(
        history,
        'drag',
        (draft) => {
          draft.count = n
        },
        'g1',
      )
    for (let n = 1; n <= 3; n++)
      history = change(
        history,
        'drag',
        (draft) => {
          draft.count = -n
        },
        'g2',
      )
    history = change(
      history,
      'nothing',
      (draft) => {
        draft.count = -3
      },
      'g3',
    )
    expect(history.past).toHaveLength(2)
    history = undo(history)
    expect(history.present.count).toBe(20)
    history = undo(history)
    expect(history.present.count).toBe(0)
    expect(undo(history)).toBe(history)
  })

  it('forgets the future with a new edit, and keeps found facts out of undo', () => {
    let history: History<Toy> = change(startHistory({ count: 0, list: [] as number[] }), 'a', (draft) => {
      draft.count = 1
    })
    history = amend(history, (draft) => {
      draft.list.push(7)
    })
    history = undo(history)
    expect(history.present).toEqual({ count: 0, list: [7] })
    history = change(history, 'b', (draft) => {
      draft.count = 5
    })
    expect(history.future).toHaveLength(0)
  })
})

describe('the target in all its units', () => {
  const facts: SourceFacts = { frames: 278_883, sampleRate: 48_000, channels: 2, container: 'WAV', peak: 1 }
  const target = {
    stretch: 1.25,
    pitchSemitones: 0,
    formants: 'move' as const,
    formantSemitones: 0,
    holdPercent: 0,
    tied: false,
  }

  it('typed as seconds gives exactly those frames', () => {
    const random = createRandom(5)
    for (let n = 0; n < 500; n++) {
      const frames = 1000 + Math.floor(random() * 3e6)
      const seconds = Math.round((frames / 48_000) * (0.2 + 5 * random()) * 1000) / 1000
      const stretch = stretchFromSeconds(seconds, { ...facts, frames })
      expect(straightMap(frames, stretch).outputFrames).toBe(Math.round(seconds * 48_000))
    }
    expect(straightMap(facts.frames, stretchFromSeconds(6, facts)).outputFrames).toBe(288_000)
  })

  it('reads the same from every side', () => {
    expect(bpmOf(target, 96)).toBeCloseTo(76.8, 9)
    expect(stretchFromBpm(96, 76.8)).toBeCloseTo(1.25, 12)
    expect(stretchFromPercent(125)).toBe(1.25)
    expect(bpmOf(target, undefined)).toBeUndefined()
    const stretch = stretchFromSeconds(7.3, facts)
    expect(secondsOf({ ...target, stretch }, facts)).toBeCloseTo(7.3, 9)
  })

  it('fills whole bars to the frame, and finds the shorter way from key to key', () => {
    const stretch = stretchFromBars(4, 4, 96, facts)
    expect(straightMap(facts.frames, stretch).outputFrames).toBe(480_000)
    expect(barsOf(facts, 96, 4) * stretch).toBeCloseTo(4, 9)
    expect(shortestInterval(9, 0)).toBe(3)
    expect(shortestInterval(0, 9)).toBe(-3)
    for (let from = 0; from < 12; from++)
      for (let to = 0; to < 12; to++) {
        const steps = shortestInterval(from, to)
        expect((from + steps + 12) % 12).toBe(to)
        expect(Math.abs(steps)).toBeLessThanOrEqual(6)
      }
  })

  it('splits pitch into whole semitones and cents, and joins it again', () => {
    for (const pitch of [0, 0.5, -0.5, 3.25, -12.4, 35.99, -36]) {
      const { semitones, cents } = pitchParts(pitch)
      expect(Number.isInteger(semitones)).toBe(true)
      expect(Math.abs(cents)).toBeLessThanOrEqual(50)
      expect(pitchFromParts(semitones, cents)).toBeCloseTo(pitch, 9)
    }
    expect(clampPitch(99)).toBe(36)
  })
})

describe('matchedGains', () => {
  const db = (gain: number) => 20 * Math.log10(gain)
  it('brings all lanes to one loudness and none over full scale', () => {
    const reference = { loudness: -14, peak: 0.9 }
    const lanes = [
      { loudness: -20, peak: 0.95 },
      { loudness: -10, peak: 1.2 },
      undefined,
      { loudness: Number.NEGATIVE_INFINITY, peak: 0 },
    ]
    const gains = matchedGains(reference, lanes)
    const all = [reference, ...lanes]
    const reached = all.map((level, i) =>
      level && Number.isFinite(level.loudness) ? level.loudness + db(gains[i] as number) : undefined,
    )
    for (const loudness of reached) if (loudness !== undefined) expect(loudness).toBeCloseTo(reached[0] as number, 9)
    all.forEach((level, i) => {
      if (level) expect(level.peak * (gains[i] as number)).toBeLessThanOrEqual(1.000001)
    })
    expect(gains[3]).toBe(gains[0])
  })
  it('leaves a single lane with headroom alone, and everything when the reference is silent', () => {
    expect(matchedGains({ loudness: -14, peak: 0.9 }, [])).toEqual([1])
    expect(matchedGains({ loudness: Number.NEGATIVE_INFINITY, peak: 0 }, [{ loudness: -3, peak: 1 }])).toEqual([1, 1])
  })
})

describe('the session as it is kept', () => {
  it('reads a session that was kept before tempo, key and corrections were known', () => {
    const { session, outlook } = { session: firstSession(), outlook: firstOutlook('ink') }
    const old = {
      session: {
        version: 1,
        sources: session.sources.map(({ hand: _, follows: __, target: { tied: ___, ...target }, ...source }) => ({
          ...source,
          target: { ...target, sourceBpm: 112 },
        })),
      },
      outlook: Object.fromEntries(
        Object.entries(outlook).filter(([name]) => !['list', 'click', 'audition'].includes(name)),
      ),
    }
    const read = keptSchema.parse(old)
    expect(read.session.bpm).toBe(96)
    expect(read.session.sources[0]?.hand).toEqual({ bpm: 112 })
    expect(read.session.sources[0]?.follows).toEqual({ tempo: false, key: false })
    expect(read.outlook.click).toBe('off')
  })

  it('passes its own check after a trip through storage', () => {
    const kept = { session: firstSession(), outlook: firstOutlook('ink') }
    expect(keptSchema.parse(structuredClone(kept))).toEqual(kept)
    expect(keptSchema.safeParse({ ...kept, session: { version: 2, bpm: 96, sources: [] } }).success).toBe(false)
  })
  it('starts a source with one variant of each of three families, lettered in order', () => {
    const { variants } = newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file' })
    expect(variants.map((v) => `${v.letter} ${v.methodId}`)).toEqual(['A wsola', 'B vocoder', 'C grain'])
    expect(freeLetter(variants.slice(1))).toBe('A')
    expect(freeLetter(variants)).toBe('D')
  })
  it('makes recipes from the target and the settings of the method in use only', () => {
    const source = newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file', target: { stretch: 2 } })
    const variant = { ...newVariant('v', 'A', 'wsola'), settings: { wsola: { segmentMs: 50 }, grain: { grainMs: 9 } } }
    expect(recipeOf(source, variant)).toMatchObject({ stretch: 2, methodId: 'wsola', settings: { segmentMs: 50 } })
    expect(recipeOf(source, { ...variant, methodId: 'vocoder' }).settings).toEqual({})
  })
})
