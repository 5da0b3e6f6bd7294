import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount } from '../audio/block'
import { finish } from '../task'
import * as damage from '../testing/damage'
import { AS_WRITTEN, type Ideal, idealItems } from '../testing/ideals'
import { block, noise, sine } from '../testing/signals'
import { straightMap } from '../timeline/timeMap'
import { type ArtefactId, artefactKind, artefactKinds, gradeOf } from './artefacts'
import { type Measurement, measureTask } from './measure'
import { readSource, type SourceReading } from './sourceReading'
import { verdictOf } from './verdict'

const STRETCH = 1.25
/** enough of each item for every kind of harm to have its place */
const SECONDS = 2.8

const firstSeconds = (audio: AudioBlock, seconds: number): AudioBlock => ({
  ...audio,
  channels: audio.channels.map((samples) => samples.slice(0, Math.round(seconds * audio.sampleRate))),
})

interface Case {
  readonly source: AudioBlock
  readonly ideal: Pick<Ideal, 'audio' | 'attacks'>
  readonly reading: SourceReading
  readonly plain: Measurement
}
const cases = new Map<string, Case>()

/** An item, its ideal at the stretch, and what is measured of the ideal. */
function caseOf(id: string): Case {
  const known = cases.get(id)
  if (known) return known
  const item = idealItems.find((one) => one.id === id)
  if (!item) throw new Error(id)
  const source = firstSeconds(item.play(AS_WRITTEN).audio, SECONDS)
  const whole = item.play({ ...AS_WRITTEN, stretch: STRETCH })
  const end = SECONDS * STRETCH
  const ideal = { attacks: whole.attacks.filter((at) => at < end), audio: firstSeconds(whole.audio, end) }
  const reading = finish(readSource(source))
  const made = { source, ideal, reading, plain: against(source, ideal.audio, reading) }
  cases.set(id, made)
  return made
}

function against(source: AudioBlock, result: AudioBlock, reading?: SourceReading, stretch = STRETCH, ratio = 1) {
  const map = straightMap(frameCount(source), stretch)
  const at = () => ratio
  return finish(measureTask({ source, result, from: 0, map, pitchRatioAt: at, formantRatioAt: at }, reading))
}

const artefact = (measurement: Measurement, id: ArtefactId) => {
  const found = measurement.artefacts.find((one) => one.id === id)
  if (!found) throw new Error(id)
  return found
}
const value = (measurement: Measurement, id: ArtefactId) => artefact(measurement, id).value

describe('on the ideal answer', () => {
  it.each(['drums', 'castanets', 'chord', 'arpeggio', 'voice', 'bass', 'rain', 'scene'])(
    '%s shows no audible harm',
    (id) => {
      const { plain } = caseOf(id)
      for (const { id, value } of plain.artefacts) expect([id, gradeOf(id, value)]).toEqual([id, 'not audible'])
      expect(plain.artefacts.map((one) => one.id)).toEqual(artefactKinds.map((kind) => kind.id))
      expect(verdictOf(plain, 48_000)).toMatch(/no (other )?harm is audible/i)
    },
  )

  it('the source against itself is nothing at all', () => {
    const { source, reading } = caseOf('drums over chords')
    const same = against(source, source, reading, 1)
    for (const one of same.artefacts) expect(one.value).toBeLessThan(0.01)
  })
})

interface Harm {
  readonly id: ArtefactId
  readonly item: string
  readonly levels: readonly number[]
  /** what it may touch besides: one cannot be had without the other */
  readonly with?: readonly ArtefactId[]
  change(audio: AudioBlock, level: number, starts: readonly number[]): AudioBlock
}

const odd = (count: number) => Array.from({ length: count }, (_, i) => 2 * i + 1)

const harms: readonly Harm[] = [
  {
    id: 'lost-attacks',
    item: 'drums',
    levels: [1, 5],
    // what takes a hit away takes its energy away as well
    with: ['level', 'balance'],
    change: (audio, count, starts) => damage.loseAttacks(audio, starts, odd(count)),
  },
  {
    id: 'lost-attacks',
    item: 'drums over chords',
    levels: [1, 5],
    // a hole in a chord is worse than a lost hit
    with: ['level', 'balance', 'flutter', 'clicks'],
    change: (audio, count, starts) => damage.loseAttacks(audio, starts, odd(count)),
  },
  {
    id: 'extra-attacks',
    item: 'drums',
    levels: [1, 5],
    with: ['aliasing', 'noise-colour'],
    change: (audio, count, starts) => damage.repeatAttacks(audio, starts, odd(count), 0.08),
  },
  {
    id: 'extra-attacks',
    item: 'drums over chords',
    levels: [1, 6],
    with: ['aliasing'],
    change: (audio, count, starts) => damage.repeatAttacks(audio, starts, odd(count), 0.045),
  },
  {
    id: 'smear',
    item: 'castanets',
    levels: [12, 30],
    with: ['slip', 'level', 'balance', 'image', 'noise-colour', 'aliasing'],
    change: (audio, ms) => damage.smear(audio, ms),
  },
  {
    id: 'slip',
    item: 'castanets',
    levels: [7, 16],
    change: (audio, ms, starts) => damage.slipAttacks(audio, starts, [ms, -ms, 0]),
  },
  { id: 'flutter', item: 'chord', levels: [6, 40], change: (audio, percent) => damage.modulate(audio, 8, percent) },
  {
    id: 'flutter',
    item: 'chord',
    levels: [6, 40],
    with: ['phasiness'],
    change: (audio, percent) => damage.modulate(audio, 45, percent),
  },
  {
    id: 'flutter',
    item: 'arpeggio',
    levels: [6, 40],
    change: (audio, percent) => damage.modulate(audio, 8, percent),
  },
  { id: 'detune', item: 'chord', levels: [4, 25], with: ['flutter', 'slip'], change: damage.detune },
  { id: 'detune', item: 'glide', levels: [4, 25], with: ['slip', 'extra-attacks'], change: damage.detune },
  {
    id: 'phasiness',
    item: 'chord',
    levels: [0.3, 2],
    // spread that far, tones change places and start anew as well
    with: ['flutter', 'detune', 'extra-attacks', 'image', 'level', 'balance', 'aliasing'],
    change: (audio, gain) => damage.diffuse(audio, 150, gain),
  },
  {
    id: 'noise-colour',
    item: 'rain',
    levels: [0.4, 1],
    with: ['level'],
    change: (audio, share) => damage.repeatPieces(audio, 20, share),
  },
  {
    id: 'noise-colour',
    item: 'rain',
    levels: [20, 60],
    change: (audio, percent) => damage.modulate(audio, 40, percent),
  },
  { id: 'image', item: 'rain', levels: [1, 5], change: damage.lean },
  { id: 'image', item: 'rain', levels: [0.15, 0.6], with: ['level'], change: damage.narrow },
  { id: 'level', item: 'drums', levels: [-1, -5], change: damage.gain },
  { id: 'level', item: 'voice', levels: [-1, -5], change: damage.gain },
  { id: 'balance', item: 'scene', levels: [6000, 1000], with: ['level'], change: damage.dull },
  { id: 'clicks', item: 'chord', levels: [1, 6], change: (audio, count) => damage.clicks(audio, count, 0.05) },
  {
    id: 'clicks',
    item: 'voice',
    levels: [1, 6],
    with: ['extra-attacks'],
    change: (audio, count) => damage.clicks(audio, count, 0.05),
  },
  { id: 'aliasing', item: 'chord', levels: [-60, -30], change: (audio, db) => damage.alias(audio, 7321, db) },
]

describe('harm done on purpose', () => {
  it.each(harms.map((harm) => [harm.id, harm.item, harm] as const))(
    '%s rises with it on %s, and little else does',
    (_, __, harm) => {
      const { source, ideal, reading, plain } = caseOf(harm.item)
      const measured = harm.levels.map((level) =>
        against(source, harm.change(ideal.audio, level, ideal.attacks), reading),
      )
      let before = value(plain, harm.id)
      for (const measurement of measured) {
        expect(value(measurement, harm.id)).toBeGreaterThan(before)
        before = value(measurement, harm.id)
      }
      const worst = measured.at(-1) as Measurement
      expect(gradeOf(harm.id, value(worst, harm.id))).toMatch(/clear|severe/)
      for (const { id, value } of worst.artefacts) {
        if (id === harm.id || harm.with?.includes(id)) continue
        // blind to what is none of its business: at most slight, and less so than what was done
        expect([id, gradeOf(id, value)]).toEqual([id, expect.stringMatching(/not audible|slight/)])
      }
      // it is told where
      expect(artefact(worst, harm.id).places.length).toBeGreaterThan(0)
    },
  )

  it('tells lost and repeated hits at their places, in source time', () => {
    const { source, ideal, reading } = caseOf('drums')
    const starts = ideal.attacks
    const lost = against(source, damage.loseAttacks(ideal.audio, starts, [3]), reading)
    const [place] = artefact(lost, 'lost-attacks').places
    expect((place?.sourceFrame ?? 0) / 48_000).toBeCloseTo((starts[3] as number) / STRETCH, 2)
    expect((place?.outputFrame ?? 0) / 48_000).toBeCloseTo(starts[3] as number, 2)
    expect(verdictOf(lost, 48_000)).toMatch(/^Keeps \d+ of \d+ attacks; loses the one at 1\.10 s/)
    const again = against(source, damage.repeatAttacks(ideal.audio, starts, [5], 0.08), reading)
    const [repeat] = artefact(again, 'extra-attacks').places
    expect((repeat?.outputFrame ?? 0) / 48_000).toBeCloseTo((starts[5] as number) + 0.08, 2)
    expect(verdictOf(again, 48_000)).toMatch(/one repeated or made up at 1\.\d\d s/)
  })

  it('flutter and level tell where: a shake in the second half does not stain the first', () => {
    const { source, ideal, reading } = caseOf('chord')
    const shaken = damage.modulate(ideal.audio, 7, 30)
    const half = 0.55 * frameCount(shaken)
    const late: AudioBlock = {
      ...shaken,
      channels: shaken.channels.map((samples, c) =>
        samples.map((v, i) => (i < half ? (ideal.audio.channels[c]?.[i] as number) : v)),
      ),
    }
    const { places } = artefact(against(source, late, reading), 'flutter')
    const mean = (of: typeof places) => of.reduce((sum, place) => sum + place.value, 0) / of.length
    const margin = 0.6 * 48_000
    const first = places.filter((place) => place.outputFrame < half - margin)
    const second = places.filter((place) => place.outputFrame > half + margin)
    expect(mean(second)).toBeGreaterThan(1)
    expect(mean(first)).toBeLessThan(0.4)
  })

  it('formants off their place are told in per cent, and kept ones are none', () => {
    const item = idealItems.find((one) => one.id === 'voice') as (typeof idealItems)[number]
    const first = (audio: AudioBlock) => firstSeconds(audio, SECONDS)
    const source = first(item.play(AS_WRITTEN).audio)
    const reading = finish(readSource(source))
    const map = straightMap(frameCount(source), 1)
    const shiftOf = (semitones: number, keepFormants: boolean, wanted: number) => {
      const result = first(item.play({ ...AS_WRITTEN, semitones, keepFormants }).audio)
      const ratio = 2 ** (semitones / 12)
      const measured = finish(
        measureTask({ source, result, from: 0, map, pitchRatioAt: () => ratio, formantRatioAt: () => wanted }, reading),
      )
      return value(measured, 'formant-shift')
    }
    expect(shiftOf(3, true, 1)).toBeLessThan(2)
    expect(shiftOf(-4, true, 1)).toBeLessThan(2)
    expect(shiftOf(3, false, 2 ** (3 / 12))).toBeLessThan(2)
    // moved along though they were to be kept: off by the pitch ratio
    const little = shiftOf(2, false, 1)
    expect(little).toBeGreaterThan(8)
    expect(shiftOf(4, false, 1)).toBeGreaterThan(little + 6)
  })
})

describe('odd material', () => {
  it('keeps the stroke that it begins with, however slowly that dies away in the result', () => {
    const bell = (stretch: number) =>
      block(48_000, 2, 3 * stretch * 48_000, (i, c) => {
        const t = i / 48_000
        const level = 0.3 * Math.exp((-0.7 * t) / stretch)
        return level * (Math.sin(2 * Math.PI * 311 * t + c) + 0.5 * Math.sin(2 * Math.PI * 628 * t + c))
      })
    for (const stretch of [2, 10]) {
      const { artefacts } = against(bell(1), bell(stretch), undefined, stretch)
      const lost = artefacts.find(({ id }) => id === 'lost-attacks')
      expect(lost?.parts, `${stretch} ×`).toMatchObject({ attackCount: 1, lostCount: 0 })
    }
  })

  it('mono, other rates, very short and silent sounds are measured without a fault', () => {
    const sounds: AudioBlock[] = [
      sine({ hz: 440, seconds: 1, sampleRate: 44_100 }),
      noise({ seconds: 1, seed: 3, sampleRate: 8000 }),
      noise({ seconds: 0.004, seed: 3 }),
      { sampleRate: 48_000, channels: [new Float32Array(20_000), new Float32Array(20_000)] },
      { sampleRate: 48_000, channels: [new Float32Array(0)] },
      noise({ seconds: 0.5, seed: 4, channels: 6 }),
    ]
    for (const sound of sounds) {
      const measurement = against(sound, sound, undefined, 1)
      expect(measurement.artefacts.length).toBe(artefactKinds.length)
      for (const { id, value, places } of measurement.artefacts) {
        expect([id, value < 0.02]).toEqual([id, true])
        for (const place of places) expect(Number.isFinite(place.value)).toBe(true)
      }
    }
  })

  it('a silent result of a loud source is quiet and has lost its attacks, not an error', () => {
    const { source, reading } = caseOf('drums')
    const silent = { ...source, channels: source.channels.map((c) => new Float32Array(c.length)) }
    const measurement = against(source, silent, reading, 1)
    expect(value(measurement, 'lost-attacks')).toBe(100)
    expect(gradeOf('level', value(measurement, 'level'))).toBe('severe')
    for (const one of measurement.artefacts) expect(Number.isFinite(one.value)).toBe(true)
  })

  it('a part of a result is measured at its own place', () => {
    const { source, ideal, reading } = caseOf('drums')
    const from = 48_000
    const harmed = damage.repeatAttacks(ideal.audio, ideal.attacks, [9], 0.08)
    const part = { ...harmed, channels: harmed.channels.map((c) => c.subarray(from, from + 3 * 48_000)) }
    const map = straightMap(frameCount(source), STRETCH)
    const one = () => 1
    const measured = finish(
      measureTask({ source, result: part, from, map, pitchRatioAt: one, formantRatioAt: one }, reading),
    )
    const [place] = artefact(measured, 'extra-attacks').places
    expect((place?.outputFrame ?? 0) / 48_000).toBeCloseTo((ideal.attacks[9] as number) + 0.08, 2)
    expect(value(measured, 'lost-attacks')).toBe(0)
    expect(value(measured, 'slip')).toBeLessThan(artefactKind('slip').audibleFrom)
  })

  it('refuses what cannot be laid on each other', () => {
    const a = sine({ hz: 440, seconds: 0.1 })
    expect(() => against(a, sine({ hz: 440, seconds: 0.1, sampleRate: 44_100 }), undefined, 1)).toThrow(RangeError)
    expect(() => against(a, sine({ hz: 440, seconds: 0.1, channels: 2 }), undefined, 1)).toThrow(RangeError)
  })
})
