import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { methods } from '../core'
import { firstSession, newVariant } from './create'
import { firstOutlook, type Outlook, outlookSchema } from './outlook'
import { checkedForWriting, readOutlook, readSession } from './readSession'
import { recipeOf } from './recipe'
import { SESSION_VERSION, type Session, type Source, sessionSchema } from './schema'
import { damagesOf, pathsOf, valueAt, withValue } from './testing/damage'

const HASH = 'a1'.repeat(32)

/** A session that uses every field there is. */
const PLAYED = { play: 'hold', attackMs: 2, releaseMs: 200, gainDb: -1, pan: 0.25 } as const

function fullSession(): Session {
  const [winch, knocks] = firstSession().sources as [Source, Source]
  return {
    version: SESSION_VERSION,
    bpm: 104.5,
    key: { root: 9, mode: 'minor' },
    grooves: [
      {
        id: 'g1',
        name: 'Winch',
        grid: '1/8',
        beatsPerBar: 2,
        bars: 1,
        offsets: [0, 0.02, null, -0.01],
        spreads: [0, 0.001, null, 0],
        counts: [2, 2, 0, 1],
        bpm: 96,
      },
    ],
    tempoLine: [
      { beat: 0, bpm: 96, curve: 'linear' },
      { beat: 16, bpm: 120, curve: 'step' },
    ],
    beatsPerBar: 3,
    metre: [{ bar: 5, beatsPerBar: 4 }],
    rows: [
      { id: 'r1', name: 'Hits', gainDb: -3, muted: false, solo: true },
      { id: 'r2', name: 'Beds', gainDb: 0, muted: true, solo: false },
    ],
    parts: [
      {
        id: 'p1',
        source: winch.id,
        row: 'r1',
        variant: 'v1',
        semitones: -2,
        formants: 'shift',
        formantSemitones: 1,
        lock: 'bars',
        startBeat: 3,
        beats: 24,
        offset: 1.5,
        feel: 2,
        repeat: true,
        gainDb: -3,
        fadeIn: 0.5,
        fadeOut: 1,
      },
      {
        id: 'p2',
        source: knocks.id,
        row: 'r2',
        method: 'grain',
        settings: { grainMs: 33 },
        stretch: 2,
        lock: 'seconds',
        startBeat: 0,
        offset: 0,
        feel: 1,
        repeat: false,
        gainDb: 0,
        fadeIn: 0,
        fadeOut: 0,
      },
    ],
    sections: [{ id: 's1', name: 'Flood', bar: 1, bars: 8, bpm: 104 }],
    click: { gainDb: -9, inMix: true },
    picks: [
      {
        id: 'k1',
        name: 'Hum',
        source: winch.id,
        variant: 'v1',
        from: 0.01,
        to: 0.5,
        play: 'loop',
        attackMs: 5,
        releaseMs: 70,
        gainDb: -3,
        pan: -0.5,
        semitones: 7,
        reverse: true,
        group: 'low',
      },
    ],
    keys: {
      source: knocks.id,
      root: 57.1,
      length: 'tape',
      formants: 'keep',
      inTempo: true,
      voices: 8,
      glideMs: 30,
      ...PLAYED,
    },
    takes: [
      {
        id: 't1',
        name: 'First',
        rate: 48_000,
        length: 96_000,
        keys: {
          source: winch.id,
          variant: 'v1',
          pick: 'k1',
          length: 'keep',
          inTempo: false,
          voices: 4,
          glideMs: 0,
          ...PLAYED,
        },
        notes: [
          { key: 60, velocity: 0.7, on: 128, off: 9000 },
          { pick: 'k1', key: 60, velocity: 1, on: 512 },
        ],
        hands: [
          {
            source: winch.id,
            methodId: 'drift',
            settings: { windowMs: 85 },
            semitones: -2,
            jitterMs: 8,
            spreadMs: 20,
            seed: 3,
            on: 1280,
            off: 50_048,
            place: 4000.5,
            speed: 0,
            moves: [{ at: 2560, place: 9000, speed: -0.5 }],
          },
        ],
      },
    ],
    sources: [
      {
        ...winch,
        hash: HASH,
        facts: {
          frames: 441_000,
          sampleRate: 22_254.5454,
          channels: 2,
          container: 'AIFF',
          depth: { bits: 8, float: false },
          peak: 0.9,
          hash: HASH,
        },
        hand: {
          bpm: 96,
          firstBeat: 0.01,
          beatsPerBar: 3,
          beats: [0.01, 0.6, 1.3],
          key: { root: 2 },
          kind: 'hits',
          untuned: true,
          attacks: { added: [3, 77_000], removed: [5] },
          markers: {
            cues: [{ frame: 480, label: 'gust' }],
            loops: [{ startFrame: 960, endFrame: 48_000, kind: 'alternating', plays: 2 }],
            rootNote: 57,
          },
        },
        timing: {
          pins: [{ source: 0.5, own: 0.52 }],
          rule: { grid: '1/16t', swing: 50, strength: 70, windowMs: 40, groove: 'g1', from: 0.1, to: 0.7 },
          placed: [
            { source: 0.2, own: 0.2 },
            { source: 0.5, own: 0.52 },
          ],
          speedCurve: { points: [{ seconds: 0.3, percent: 80, curve: 'curved' }], keepsLength: false },
          pacing: { percent: 60, from: 0.1, stepSeconds: 0.01, gives: [0, 40, 100] },
        },
        prepare: { sinesDb: -3, attacksDb: -60, noiseDb: 2, without: [0.5, 1.25] },
        filter: {
          points: [
            { hz: 100, db: -12 },
            { hz: 900, db: 3 },
          ],
          at: 'after',
          fineHz: 2,
        },
        kin: ['k1', 'k2'],
        marks: [{ id: 'm1', name: 'door', seconds: 1.2 }],
        slot: { film: 'f1', from: 'm1', to: 'm2', fill: 'pauses', pauses: [{ start: 3, end: 900 }] },
        follows: { tempo: true, key: false },
        range: { start: 100, end: 40_000 },
        selection: { start: 5, end: 900 },
        variants: [
          {
            ...newVariant('v1', 'A', 'grain'),
            settings: { grain: { grainMs: 33 }, wsola: { segmentMs: 50 } },
            seed: 7,
          },
          {
            ...newVariant('v2', 'C', 'layered'),
            joins: [
              { source: 0.5, methodId: 'grain', settings: { grainMs: 33 }, fade: 0.02 },
              { source: 0.7, methodId: 'vocoder', settings: {} },
            ],
          },
        ],
        blind: [{ at: '2026-11-27', mode: 'ABX', rounds: 8, lanes: [{ name: 'A', score: 6 }], chance: 0.14 }],
      },
      knocks,
    ],
  }
}

const fullOutlook = (): Outlook => ({
  ...firstOutlook('paper'),
  lanes: { 'rope-winch': { active: 'v1', chosen: 'v2' } },
  views: { 'rope-winch': { start: 0, span: 4000 } },
  positions: { 'rope-winch': 1200 },
})

function read(raw: unknown) {
  const result = readSession(raw)
  if (result.kind !== 'read') throw new Error(`not read: ${JSON.stringify(result)}`)
  return result
}

describe('readSession', () => {
  it('reads what holds as it is, and has nothing to tell', () => {
    for (const session of [fullSession(), firstSession()]) {
      expect(read(structuredClone(session))).toEqual({ kind: 'read', session, mended: [] })
      expect(checkedForWriting(session)).toEqual({ session, mended: [] })
    }
  })

  it('comes to a session that holds, whatever is broken, and keeps all that is not', () => {
    const session = fullSession()
    let tried = 0
    // every fifth damage; others are read below
    for (const { name, value } of damagesOf(session).filter((_, n) => n % 5 === 1)) {
      tried++
      const result = readSession(value)
      if (result.kind === 'unreadable') {
        expect(name).toMatch(/^(all of it|sources) :=/)
        continue
      }
      expect(sessionSchema.safeParse(result.session), name).toMatchObject({ success: true })
      for (const source of result.session.sources)
        for (const variant of source.variants) expect(() => recipeOf(source, variant), name).not.toThrow()
      // the neighbour of what is broken is as it was
      if (!/^sources(\.1|$| )/.test(name.split(' :=')[0] as string) && name.startsWith('sources.'))
        expect(result.session.sources.at(-1), name).toEqual(session.sources[1])
      if (name.startsWith('sources.1')) expect(result.session.sources[0], name).toEqual(session.sources[0])
      // mended once, it has nothing more to tell
      expect(checkedForWriting(result.session), name).toEqual({ session: result.session, mended: [] })
    }
    expect(tried).toBeGreaterThan(300)
  })

  it('tells of everything that it changes', () => {
    const session = fullSession()
    // every fifth damage, and not those above
    for (const { name, value } of damagesOf(session).filter((_, n) => n % 5 === 3)) {
      const result = readSession(value)
      if (result.kind === 'unreadable' || name.includes(':= undefined')) continue
      const changed = pathsOf(value).some((path) => {
        const was = valueAt(value, path)
        if (typeof was === 'object' && was !== null) return false
        return !Object.is(valueAt(result.session, path), was)
      })
      if (changed) expect(result.mended.length, name).toBeGreaterThan(0)
    }
  })

  it('carries through what it does not know, at every depth', () => {
    const session = fullSession()
    const marked = pathsOf(session)
      .filter((path) => {
        const at = valueAt(session, path)
        return typeof at === 'object' && at !== null && !Array.isArray(at) && !path.includes('settings')
      })
      .reduce<unknown>((all, path) => withValue(all, [...path, 'of the year 2031'], { tide: [1, 2] }), session)
    expect(read(marked)).toEqual({ kind: 'read', session: marked, mended: [] })
  })

  it('brings up sessions of older versions, and shows newer ones without calling them its own', () => {
    const { sources, ...rest } = firstSession()
    const old = {
      ...rest,
      version: 1,
      bpm: undefined,
      sources: sources.map(({ hand: _, follows: __, target: { tied: ___, ...target }, ...source }) => ({
        ...source,
        target: { ...target, sourceBpm: 112 },
      })),
    }
    const { session, mended } = read(old)
    expect(mended).toEqual([])
    expect(session).toEqual({ ...firstSession(), sources: sources.map((s) => ({ ...s, hand: { bpm: 112 } })) })
    const newer = readSession({ ...fullSession(), version: SESSION_VERSION + 3, tracks: ['?'] })
    expect(newer).toMatchObject({ kind: 'newer', version: SESSION_VERSION + 3, session: { sources: [{}, {}] } })
  })

  it('knows methods and settings: unknown ones and those out of range are mended', () => {
    const session = fullSession()
    const { settings } = methods.find(({ id }) => id === 'grain') as (typeof methods)[number]
    const grain = settings.grainMs as { max: number }
    const broken = withValue(
      session,
      ['sources', 0, 'variants'],
      [
        { id: 'v1', letter: 'A', methodId: 'moonshine', settings: { moonshine: { glow: 3 } }, seed: 1 },
        { id: 'v1', letter: 'A', methodId: 'grain', settings: { grain: { grainMs: 1e9, glow: 3 } }, seed: -4 },
      ],
    )
    const { session: mendedSession, mended } = read(broken)
    expect(mendedSession.sources[0]?.variants).toEqual([
      // what its own version will want again stays
      { id: 'v1', letter: 'A', methodId: 'wsola', settings: { moonshine: { glow: 3 } }, seed: 1 },
      { id: 'v1 2', letter: 'B', methodId: 'grain', settings: { grain: { grainMs: grain.max } }, seed: 0 },
    ])
    expect(mended.map(({ path }) => path).sort()).toEqual([
      'sources.0.variants.0.methodId',
      'sources.0.variants.1.id',
      'sources.0.variants.1.letter',
      'sources.0.variants.1.seed',
      'sources.0.variants.1.settings.grain.glow',
      'sources.0.variants.1.settings.grain.grainMs',
    ])
  })

  it('turns ranges round, cuts them to the sound, and lets go of those that hold nothing', () => {
    const range = (range: unknown, selection?: unknown) =>
      read(withValue(withValue(fullSession(), ['sources', 0, 'range'], range), ['sources', 0, 'selection'], selection))
        .session.sources[0]
    expect(range({ start: 40_000, end: 100 })?.range).toEqual({ start: 100, end: 40_000 })
    expect(range({ start: 100, end: 9e9 })?.range).toEqual({ start: 100, end: 441_000 })
    expect(range({ start: 5e6, end: 9e9 })?.range).toBeUndefined()
    expect(range({ start: 100, end: 1100 }, { start: 900, end: -4 })?.selection).toEqual({ start: 0, end: 900 })
    expect(range({ start: 100, end: 1100 }, { start: 2000, end: 3000 })?.selection).toBeUndefined()
  })

  it('asks of one that is written by hand for no more than the names of its files', () => {
    const { session, mended } = read({ sources: [{ file: 'sounds/rope-winch_96bpm.wav' }, { file: 'gull.flac' }] })
    expect(mended).toEqual([])
    expect(sessionSchema.parse(session)).toEqual(session)
    expect(session.bpm).toBe(96)
    expect(session.sources.map(({ name, target, variants }) => [name, target.stretch, variants.length])).toEqual([
      ['rope-winch_96bpm', 1, 3],
      ['gull', 1, 3],
    ])
    const one = read({ sources: [{ file: 'a.wav', target: { stretch: 2 }, variants: [{ methodId: 'drift' }, {}] }] })
    expect(one.mended).toEqual([])
    expect(one.session.sources[0]?.variants.map(({ letter, methodId }) => letter + methodId)).toEqual([
      'Adrift',
      'Bwsola',
    ])
  })
})

describe('readOutlook', () => {
  it('comes to an outlook that holds, whatever is broken, and keeps all that is not', () => {
    const outlook = fullOutlook()
    const first = firstOutlook('ink')
    expect(readOutlook(structuredClone(outlook), first)).toEqual({ outlook, mended: [] })
    for (const { name, value } of damagesOf(outlook)) {
      const read = readOutlook(value, first)
      expect(outlookSchema.safeParse(read.outlook), name).toMatchObject({ success: true })
      const [top] = name.split(/[. ]/)
      if (name.startsWith('all of it')) continue
      for (const field of Object.keys(outlook) as (keyof Outlook)[])
        if (field !== top) expect(read.outlook[field], name).toEqual(outlook[field])
    }
    expect(readOutlook(undefined, first)).toEqual({ outlook: first, mended: [] })
    // as it was written before
    const { positions: _, ...older } = structuredClone(outlook)
    const read = readOutlook({ ...older, places: { one: 5 } }, first)
    expect(read).toEqual({ outlook: { ...outlook, positions: { one: 5 } }, mended: [] })
  })
})

describe('docs/session.md', () => {
  const text = readFileSync('docs/session.md', 'utf8')

  it('has examples that are read without a word', () => {
    const examples = [...text.matchAll(/```json\n([\s\S]*?)```/g)].map(([, json]) => JSON.parse(json as string))
    expect(examples).toHaveLength(3)
    for (const example of examples) expect(read(example).mended).toEqual([])
    const [source] = read(examples[1]).session.sources
    expect(source).toMatchObject({ name: 'Bell, far', target: { stretch: 40, pitchSemitones: -5 } })
  })

  it('names every field that there is', () => {
    const full = fullSession()
    const names = new Set<string>()
    for (const path of pathsOf(full)) {
      const last = path.at(-1)
      if (typeof last === 'string' && !path.includes('settings')) names.add(last)
    }
    names.add('settings')
    for (const name of names) expect(text, name).toContain(`\`${name}\``)
  })
})
