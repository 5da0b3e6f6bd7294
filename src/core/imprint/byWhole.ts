import { silence } from '../audio/block'
import { createConvolver, kernelSpectra } from '../dsp/convolver'
import type { Pulled } from '../dsp/overlapAdd'
import type { Side } from './side'

const PART_FRAMES = 1 << 14

/** The body convolved with all of the rhythm. */
export function byWhole(body: Side, rhythm: Side): Pulled {
  const kernel = silence(rhythm.channelCount, rhythm.frames)
  rhythm.voice.read(0, kernel)
  const spectra = kernel.map((channel) => kernelSpectra(channel, PART_FRAMES))
  const convolver = createConvolver(
    Array.from({ length: body.channelCount }, (_, c) => spectra[c % spectra.length] as (typeof spectra)[number]),
  )
  const block = silence(body.channelCount, PART_FRAMES)
  let readTo = 0
  let at = Number.NaN
  return {
    read(from, out) {
      // it is read from its start on; anything else begins again, from as far before as the rhythm is long
      if (from !== at) {
        convolver.reset()
        readTo = Math.floor((from - rhythm.frames) / PART_FRAMES) * PART_FRAMES
        at = from
        while (readTo <= from) advance()
      }
      const count = out[0]?.length ?? 0
      for (let done = 0; done < count; ) {
        if (at >= readTo) advance()
        const place = at - (readTo - PART_FRAMES)
        const take = Math.min(count - done, PART_FRAMES - place)
        out.forEach((channel, c) => {
          channel.set((block[c] as Float32Array).subarray(place, place + take), done)
        })
        done += take
        at += take
      }
    },
  }
  function advance() {
    body.voice.read(readTo, block)
    convolver.next(block, block)
    readTo += PART_FRAMES
  }
}
