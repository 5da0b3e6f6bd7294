import { createSincReader, createSteppedSincReaders } from '../dsp/sinc'
import { asOutput } from '../timeline/axes'
import { defineMethod } from './method'
import { number } from './settings'

/**
 * Reads the source faster or slower; the pitch follows. Windowed-sinc interpolation whose cut-off follows the speed, so
 * that nothing folds back. Length and pitch are one thing here: both arrive folded into the time map.
 * Source  Smith & Gossett 1984, "A Flexible Sampling-Rate Conversion Method".
 */
export const varispeed = defineMethod({
  id: 'varispeed',
  label: 'Varispeed',
  family: 'speed',
  use: 'Like a tape: slides, clean octave drops, the honest reference. Pitch follows speed.',
  needs: [],
  exactSeek: true,
  tiesPitchToSpeed: true,
  pitchBy: 'own',
  ownFormants: false,
  gainsByHold: true,
  seeded: false,
  timesRealTime: 200,
  settings: {
    width: number({
      label: 'Kernel width',
      unit: 'taps',
      min: 16,
      max: 192,
      step: 16,
      default: 96,
      trades: 'Wider keeps more of the top octave; narrower is lighter.',
    }),
  },
  latencyFrames: (settings) => settings.width / 2,
  open({ source, map, settings }) {
    const width = 2 * Math.round(settings.width / 2)
    const first = map.speedAt(asOutput(0))
    const middle = map.speedAt(asOutput(map.length / 2))
    const steady = first === middle && first === map.speedAt(asOutput(map.length))
    const own = createSincReader(width, first)
    const stepped = createSteppedSincReaders(width)
    let positions = new Float64Array(0)
    return {
      read(outputFrame, out) {
        const frames = out[0]?.length ?? 0
        if (positions.length < frames) positions = new Float64Array(frames)
        // what one reader reads is read at once
        let reader = own
        let begun = 0
        let count = 0
        const flush = () => {
          reader.readManyInto(source.channels, positions, count, out, begun)
          begun += count
          count = 0
        }
        for (let i = 0; i < frames; i++) {
          const output = asOutput(outputFrame + i)
          const speed = map.speedAt(output)
          const next = steady && speed === first ? own : stepped(speed)
          if (next !== reader) flush()
          reader = next
          positions[count++] = map.sourceAt(output)
        }
        flush()
      },
    }
  },
})
