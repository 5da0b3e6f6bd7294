import { describe, expect, it } from 'vitest'
import { analyse } from '../analysis/analysis'
import { type AudioBlock, frameCount } from '../audio/block'
import { amongKin, joined } from '../audio/joined'
import { soundSource } from '../audio/soundSource'
import { createRandom } from '../dsp/random'
import { methods } from '../methods/registry'
import { finish } from '../task'
import { bestLag } from '../testing/lag'
import { type Touch, timedLoop, touches } from '../testing/timedLoops'
import { openGrid } from '../timing/grid'
import type { Hit } from '../timing/hits'
import { pinsOf } from '../timing/quantise'
import { speedBetween } from '../timing/speedCurve'
import { exportKinTask } from './exportKin'
import { openRendering } from './openVoice'
import type { Recipe } from './recipe'
import { renderBlock } from './renderTask'

const RATE = 48_000
const FAINT = 0.03
const GRID = { grid: '1/16', swing: 50 } as const
const plain = (methodId: string): Recipe => ({
  version: 1,
  stretch: 1,
  pitchSemitones: 0,
  formants: 'move',
  methodId,
  settings: {},
  seed: 1,
})

const random = createRandom(8)
const lates = Array.from({ length: 64 }, () => 0.05 * (random() - 0.5))
const loops = Object.fromEntries(
  touches.map((touch) => [touch, timedLoop(touch, (n) => lates[n] as number)]),
) as Record<Touch, ReturnType<typeof timedLoop>>
const hitsOf = (audio: AudioBlock): Hit[] =>
  (analyse(audio, ['attacks']).attacks ?? []).map(({ frame, strength }) => ({ seconds: frame / RATE, strength }))

const share = (values: readonly number[], part: number) =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(part * values.length))] as number

describe('attacks that a rule draws to the grid', () => {
  for (const touch of touches)
    for (const methodId of ['splice', 'wsola', 'vocoder', 'layered'])
      it(`lie there in a ${touch} loop by ${methodId}, none lost or added, or half as far off at half strength`, () => {
        const { audio, strokes, bpm } = loops[touch]
        const own = { bpm, firstBeat: 0 }
        const grid = openGrid(GRID, own)
        // half the way is the same pins at other places: two methods tell
        for (const strength of ['splice', 'vocoder'].includes(methodId) ? [100, 50] : [100]) {
          const pins = pinsOf(hitsOf(audio), [], { rule: { ...GRID, strength }, own })
          const out = renderBlock(audio, { ...plain(methodId), pins })
          expect(frameCount(out)).toBe(frameCount(audio))
          const hits = hitsOf(out)
          const found = hits.map(({ seconds }) => seconds)
          const wanted = strokes.map((at) => {
            const place = grid.at(grid.nearest(at))
            return Math.max(0, place + (1 - strength / 100) * (at - place))
          })
          const off = wanted.map((at) => 1000 * Math.min(...found.map((other) => Math.abs(other - at))))
          expect(Math.max(...off), 'none is lost').toBeLessThan(15)
          // what is fainter than this beside a stroke of strength 1 is the draw of a tail, and no stroke
          const plainOnes = hits.filter(({ strength }) => strength > FAINT)
          expect(plainOnes.length - wanted.length, 'nearly none is added').toBeLessThanOrEqual(1)
          expect(share(off, 0.5)).toBeLessThan(1)
          expect(share(off, 0.95)).toBeLessThan(2)
        }
      })
})

describe('a pin that is moved', () => {
  const { audio, strokes } = loops.sparse
  for (const [m, { id }] of methods.entries())
    it(`changes no sample outside its two gaps, by ${id}`, () => {
      const n = 8
      // half of the methods pull, half push
      for (const by of [m % 2 === 0 ? -0.06 : 0.06]) {
        const at = strokes[n] as number
        const hits = hitsOf(audio)
        const source = hits.reduce((best, hit) =>
          Math.abs(hit.seconds - at) < Math.abs(best.seconds - at) ? hit : best,
        ).seconds
        const pins = pinsOf(hits, [{ source, own: source + by }])
        const out = renderBlock(audio, { ...plain(id), pins })
        const [from, to] = [pins[0]?.source as number, pins.at(-1)?.source as number].map((second) =>
          Math.round(second * RATE),
        ) as [number, number]
        audio.channels.forEach((channel, c) => {
          const made = out.channels[c] as Float32Array
          expect(made.subarray(0, from)).toEqual(channel.subarray(0, from))
          expect(made.subarray(to)).toEqual(channel.subarray(to))
        })
        if (['splice', 'wsola', 'vocoder', 'layered'].includes(id)) {
          const found = hitsOf(out).map(({ seconds }) => seconds)
          expect(1000 * Math.min(...found.map((other) => Math.abs(other - source - by)))).toBeLessThan(1)
        }
      }
    })
})

describe('a sentence that is slowed to 80 %', () => {
  it('stays within 3 cents of its pitch, and is a quarter longer to the frame', () => {
    const HZ = 219.7
    const own = Float32Array.from({ length: 4 * RATE }, (_, i) => {
      const turns = (HZ * i) / RATE
      return 0.2 * [1, 2, 3, 5].reduce((sum, k) => sum + Math.sin(2 * Math.PI * k * turns) / k, 0)
    })
    const speedCurve = { points: speedBetween(1, 3, 80) }
    for (const methodId of ['splice', 'wsola', 'vocoder', 'cycle', 'layered']) {
      const out = renderBlock({ sampleRate: RATE, channels: [own] }, { ...plain(methodId), speedCurve })
      expect([methodId, frameCount(out)]).toEqual([methodId, 4.5 * RATE])
      const slow = (out.channels[0] as Float32Array).subarray(1.2 * RATE, 3.2 * RATE)
      expect([methodId, Math.abs(1200 * Math.log2(pitchOf(slow, HZ) / HZ)) < 3]).toEqual([methodId, true])
    }
  })
  it('leaves what lies around it as it is, sample for sample, and reads the same from anywhere', () => {
    const { audio } = loops.overdriven
    const frames = frameCount(audio)
    const speedCurve = { points: speedBetween(1, 3, 80) }
    for (const methodId of ['wsola', 'vocoder', 'cycle']) {
      const recipe = { ...plain(methodId), speedCurve }
      const out = renderBlock(audio, recipe)
      expect(frameCount(out)).toBe(frames + RATE / 2)
      const [own, made] = [audio.channels[0] as Float32Array, out.channels[0] as Float32Array]
      expect(made.subarray(0, RATE)).toEqual(own.subarray(0, RATE))
      expect(made.subarray(3.5 * RATE)).toEqual(own.subarray(3 * RATE))
      const late = new Float32Array(RATE)
      openRendering(audio, recipe).voice.read(Math.round(3.6 * RATE), [late, late.slice()])
      expect(late).toEqual(made.subarray(Math.round(3.6 * RATE), Math.round(4.6 * RATE)))
    }
  })
})

describe('kin', () => {
  it('stay where they were to one another, to the frame, by every method', () => {
    const { audio, bpm } = timedLoop('sparse', (n) => lates[n] as number)
    const own = audio.channels[0] as Float32Array
    // what a second microphone hears: the same, later and duller, with a room of its own
    const LATE = 137
    const noise = createRandom(3)
    const far = Float32Array.from(
      own,
      (_, i) => 0.5 * ((own[i - LATE] ?? 0) + (own[i - LATE - 1] ?? 0)) + 0.002 * (noise() - 0.5),
    )
    const lead: AudioBlock = { sampleRate: RATE, channels: [own] }
    const other: AudioBlock = { sampleRate: RATE, channels: [far] }
    const pins = pinsOf(hitsOf(lead), [], { rule: { ...GRID, strength: 100 }, own: { bpm, firstBeat: 0 } })
    for (const { id, tiesPitchToSpeed } of methods) {
      // a tape that runs faster runs through the way between microphones faster, too
      const play = tiesPitchToSpeed ? 0.25 * LATE : 1
      const known = analyse(lead, ['attacks', 'pitch'])
      const { voice, map } = openRendering(joined([lead, other]), { ...plain(id), pins }, known)
      const out = [new Float32Array(map.outputFrames), new Float32Array(map.outputFrames)] as [
        Float32Array,
        Float32Array,
      ]
      voice.read(0, out)
      // one of them alone, as a lane has it, is the same
      const alone = [new Float32Array(map.outputFrames)]
      const among = amongKin([soundSource(lead), soundSource(other)], 1)
      openRendering(among, { ...plain(id), pins }).voice.read(0, alone)
      expect(alone[0]).toEqual(out[1])
      for (let n = 0; n < 30; n++) {
        const at = Math.round(((n + 0.5) / 30) * (map.outputFrames - 8000))
        const lag = bestLag(out[0], out[1], at, 6000)
        // where a place holds next to nothing it has no lag to tell
        if (lag !== undefined) expect([id, n, Math.abs(lag - LATE) <= play]).toEqual([id, n, true])
      }
    }
  })
  it('become files of their own, all of one length', () => {
    const { audio } = loops.sparse
    const bytes: number[] = [0, 0]
    const kin = [audio, audio].map((sound, n) => ({
      sound,
      format: '16' as const,
      markers: { cues: [], loops: [] },
      write: (part: Uint8Array) => {
        bytes[n] = (bytes[n] as number) + part.length
      },
    }))
    const made = finish(exportKinTask(kin, { ...plain('wsola'), stretch: 1.25 }, analyse(audio, ['attacks'])))
    expect(made.map(({ frames }) => frames)).toEqual([1, 1].map(() => Math.round(1.25 * frameCount(audio))))
    expect(bytes[0]).toBe(bytes[1])
  })
})

/** The pitch of a tone near one, by how its lowest partial turns from one half of it to the other. */
function pitchOf(tone: Float32Array, near: number): number {
  const half = tone.length >> 1
  const phaseAt = (from: number) => {
    let [re, im] = [0, 0]
    for (let i = 0; i < half; i++) {
      const window = Math.sin((Math.PI * (i + 0.5)) / half) ** 2
      const turn = (2 * Math.PI * near * (from + i)) / RATE
      re += window * (tone[from + i] as number) * Math.cos(turn)
      im -= window * (tone[from + i] as number) * Math.sin(turn)
    }
    return Math.atan2(im, re) / (2 * Math.PI)
  }
  const turned = phaseAt(half) - phaseAt(0)
  return near + ((turned - Math.round(turned)) * RATE) / half
}
