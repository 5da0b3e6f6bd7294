import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import {
  addTempo,
  checkTempoLine,
  cutTempo,
  drawTempo,
  flattenTempo,
  limitTempo,
  multiplyTempo,
  openTempo,
  rampTempo,
  smoothTempo,
  type TempoCurve,
  type TempoEvent,
  type TempoLine,
  tempoOfBeats,
} from './tempoLine'

/** Lines of any shape: steps and ramps of both kinds, tempi from 40 to 220, some that hardly change. */
function drawnLine(seed: number): TempoLine {
  const random = createRandom(seed)
  const events: TempoEvent[] = []
  let beat = Math.floor(8 * random()) - 2
  let bpm = 60 + 100 * random()
  for (let n = 0; n < 1 + 8 * random(); n++) {
    const curve = (['step', 'linear', 'log'] as const)[Math.floor(3 * random())] as TempoCurve
    events.push({ beat, bpm, curve })
    beat += 0.25 + 12 * random()
    bpm = random() < 0.2 ? bpm * (1 + 1e-9 * random()) : 40 + 180 * random()
  }
  return checkTempoLine(events)
}
const lines = Array.from({ length: 60 }, (_, n) => drawnLine(n + 1))
const beatsOf = (line: TempoLine) => {
  const first = line[0]?.beat ?? 0
  const last = line.at(-1)?.beat ?? 0
  return Array.from({ length: 97 }, (_, n) => first - 5 + ((last - first + 12) * n) / 96)
}

/** Seconds by adding up short steps: another way to the same number. */
function summed(line: TempoLine, from: number, to: number): number {
  const { bpmAt } = openTempo(line)
  const steps = 20_000
  let sum = 0
  for (let n = 0; n < steps; n++) sum += 60 / bpmAt(from + ((n + 0.5) * (to - from)) / steps)
  return (sum * (to - from)) / steps
}

describe('a tempo line', () => {
  it('goes from beats to seconds and back, and never backwards', () => {
    for (const line of lines) {
      const tempo = openTempo(line)
      let before = Number.NEGATIVE_INFINITY
      for (const beat of beatsOf(line)) {
        const seconds = tempo.secondsAt(beat)
        expect(Math.abs(tempo.beatAt(seconds) - beat)).toBeLessThan(1e-9 * Math.max(1, Math.abs(beat)))
        expect(seconds).toBeGreaterThan(before)
        before = seconds
      }
      expect(tempo.secondsAt(0)).toBe(0)
    }
  })

  it('takes as long as its tempo says, added up', () => {
    for (const line of lines.slice(0, 20)) {
      const tempo = openTempo(line)
      const [from, to] = [(line[0] as TempoEvent).beat - 2, (line.at(-1) as TempoEvent).beat + 3]
      // a jump falls into one of the steps that are added up
      expect(Math.abs(tempo.secondsAt(to) - tempo.secondsAt(from) - summed(line, from, to))).toBeLessThan(2e-2)
    }
    const ramp: TempoLine = [
      { beat: 0, bpm: 120, curve: 'linear' },
      { beat: 32, bpm: 80 },
    ]
    expect(openTempo(ramp).secondsAt(32)).toBeCloseTo(summed(ramp, 0, 32), 7)
    expect(openTempo(ramp).bpmAt(16)).toBeCloseTo(100, 9)
    const even: TempoLine = [
      { beat: 0, bpm: 50, curve: 'log' },
      { beat: 8, bpm: 200 },
    ]
    expect(openTempo(even).secondsAt(8)).toBeCloseTo(summed(even, 0, 8), 7)
    expect(openTempo(even).bpmAt(4)).toBeCloseTo(100, 9)
  })

  it('is the same with an event more where it is cut', () => {
    for (const line of lines) {
      const tempo = openTempo(line)
      let cut = line
      for (const beat of beatsOf(line).filter((_, n) => n % 9 === 0)) cut = cutTempo(cut, beat)
      const other = openTempo(cut)
      for (const beat of beatsOf(line)) expect(other.secondsAt(beat)).toBeCloseTo(tempo.secondsAt(beat), 8)
    }
  })

  it.each([
    ['none', []],
    [
      'order',
      [
        { beat: 0, bpm: 100 },
        { beat: 0, bpm: 90 },
      ],
    ],
    ['bpm', [{ beat: 0, bpm: 0 }]],
    ['bpm', [{ beat: 0, bpm: Number.NaN }]],
    ['beat', [{ beat: Number.NaN, bpm: 100 }]],
  ])('that is none is refused: tempo/%s', (what, events) => {
    expect(() => checkTempoLine(events)).toThrow(`tempo/${what}`)
  })
})

describe('an edit of a tempo line', () => {
  const inside = (line: TempoLine) => {
    const [from, to] = [(line[0] as TempoEvent).beat + 0.7, (line.at(-1) as TempoEvent).beat + 1.3]
    return {
      from,
      to,
      beats: beatsOf(line).filter((beat) => Math.abs(beat - from) > 1e-3 && Math.abs(beat - to) > 1e-3),
    }
  }
  const changes: readonly [string, (bpm: number) => number, (line: TempoLine, beats: object) => TempoLine][] = [
    ['adds', (bpm) => bpm + 7, (line, beats) => addTempo(line, 7, beats)],
    ['scales', (bpm) => bpm * 0.9, (line, beats) => multiplyTempo(line, 0.9, beats)],
    ['limits', (bpm) => Math.max(80, Math.min(140, bpm)), (line, beats) => limitTempo(line, 80, 140, beats)],
  ]
  it.each(changes)('%s within a stretch, and changes nothing outside of it', (name, wanted, edited) => {
    for (const line of lines) {
      const { from, to, beats } = inside(line)
      const before = openTempo(line)
      const after = openTempo(edited(line, { from, to }))
      // adding to a ramp by ratio bends it a little: its ends are what was meant
      const isBent = name === 'adds' && line.some(({ curve }) => curve === 'log')
      for (const beat of beats) {
        const meant = beat > from && beat < to ? wanted(before.bpmAt(beat)) : before.bpmAt(beat)
        if (isBent && beat > from && beat < to) expect(Math.abs(after.bpmAt(beat) - meant)).toBeLessThan(4)
        else expect(after.bpmAt(beat)).toBeCloseTo(meant, 3)
      }
    }
  })

  it('ramps from one tempo to another, and stays there until the next event', () => {
    for (const curve of ['linear', 'log'] as const)
      for (const line of lines) {
        const { from, to } = inside(line)
        const before = openTempo(line)
        const after = openTempo(rampTempo(line, { from, to, bpm: 77, curve }))
        expect(after.bpmAt(from)).toBeCloseTo(before.bpmAt(from), 6)
        expect(after.bpmAt(to)).toBeCloseTo(77, 9)
        expect(after.bpmAt(from - 0.1)).toBeCloseTo(before.bpmAt(from - 0.1), 3)
        const middle = after.bpmAt((from + to) / 2)
        const start = before.bpmAt(from)
        expect(middle).toBeCloseTo(curve === 'linear' ? (start + 77) / 2 : Math.sqrt(start * 77), 6)
      }
    expect(() => rampTempo(lines[0] as TempoLine, { from: 4, to: 4, bpm: 90, curve: 'linear' })).toThrow('tempo/order')
  })

  it('flattens to the tempo that takes as long, or to the one that is said', () => {
    for (const line of lines.filter(({ length }) => length > 1)) {
      const [from, to] = [(line[0] as TempoEvent).beat, (line.at(-1) as TempoEvent).beat]
      const lasts = (one: TempoLine) => openTempo(one).secondsAt(to) - openTempo(one).secondsAt(from)
      expect(lasts(flattenTempo(line))).toBeCloseTo(lasts(line), 8)
    }
    expect(flattenTempo([{ beat: 3, bpm: 88 }])).toEqual([{ beat: 3, bpm: 88 }])
    expect(flattenTempo(lines[1] as TempoLine, 100)).toMatchObject([{ bpm: 100 }])
  })
})

describe('the tempo line of a performance', () => {
  const random = createRandom(4)
  const beats = [0.37]
  for (let n = 0; n < 64; n++) beats.push((beats.at(-1) as number) + 0.5 + 0.06 * (random() - 0.5))

  it('has each beat where it was played, or each bar', () => {
    const byBeat = openTempo(tempoOfBeats(beats))
    const byBar = openTempo(tempoOfBeats(beats, 4))
    beats.forEach((seconds, n) => {
      expect(byBeat.secondsAt(n)).toBeCloseTo(seconds - (beats[0] as number), 9)
      if (n % 4 === 0) expect(byBar.secondsAt(n)).toBeCloseTo(seconds - (beats[0] as number), 9)
    })
  })

  it('wavers less when it is smoothed, and takes about as long', () => {
    const line = tempoOfBeats(beats)
    const smooth = smoothTempo(line, 4)
    const spread = (one: TempoLine) => Math.max(...one.map(({ bpm }) => bpm)) - Math.min(...one.map(({ bpm }) => bpm))
    expect(spread(smooth)).toBeLessThan(0.4 * spread(line))
    expect(Math.abs(openTempo(smooth).secondsAt(64) - openTempo(line).secondsAt(64))).toBeLessThan(0.05)
  })

  it('is drawn by few ramps that stay near what was drawn', () => {
    const drawn = Array.from({ length: 400 }, (_, n) => ({ beat: n / 10, bpm: 120 + 20 * Math.sin(n / 60) }))
    const line = drawTempo(drawn, 0.5)
    expect(line.length).toBeLessThan(30)
    const { bpmAt } = openTempo(line)
    for (const { beat, bpm } of drawn) expect(Math.abs(bpmAt(beat) - bpm)).toBeLessThanOrEqual(0.5 + 1e-9)
  })

  it('can be changed in the same stretch over and over, ramps through its ends or not', () => {
    for (const line of lines) {
      let now = line
      for (let n = 0; n < 6; n++) now = addTempo(now, n % 2 ? -3 : 2, { from: 4, to: 12 })
      const [before, after] = [openTempo(line), openTempo(now)]
      for (const beat of [-3, 1, 3.9, 12, 20, 60]) expect(after.bpmAt(beat)).toBeCloseTo(before.bpmAt(beat), 4)
      // a ramp by ratio whose ends are moved by as much is moved by nearly as much between them
      expect(Math.abs(after.bpmAt(8) - before.bpmAt(8) + 3)).toBeLessThan(1)
    }
  })
})
