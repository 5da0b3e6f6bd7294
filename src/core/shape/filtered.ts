import { type AudioBlock, frameCount, silence } from '../audio/block'
import { createConvolver, type KernelSpectra, kernelSpectra } from '../dsp/convolver'
import type { Pulled } from '../dsp/overlapAdd'
import type { Preparing } from '../task'
import { type DrawnFilter, filterKernel } from './drawnFilter'

/** frames that go through a filter at once */
const BLOCK_FRAMES = 4096

const spectraMade = new WeakMap<Float32Array, KernelSpectra>()

function spectraOf(kernel: Float32Array): KernelSpectra {
  const known = spectraMade.get(kernel)
  if (known) return known
  const made = kernelSpectra(kernel, BLOCK_FRAMES)
  spectraMade.set(kernel, made)
  return made
}

/**
 * A voice behind a drawn filter. The filter looks as far ahead as behind, so that nothing comes late.
 * Reading on reads the voice on; anything else is a seek, from as far before as the filter looks behind.
 * The voice is asked for frames before its first and behind its last as well, and gives silence there.
 */
export function filteredVoice(voice: Pulled, channelCount: number, filter: DrawnFilter, sampleRate: number): Pulled {
  const kernel = filterKernel(filter, sampleRate)
  const reach = (kernel.length - 1) / 2
  const spectra = spectraOf(kernel)
  const convolver = createConvolver(Array.from({ length: channelCount }, () => spectra))
  const block = silence(channelCount, BLOCK_FRAMES)
  let at = Number.NaN
  // the block holds output frames from `blockStart` on; the voice was read up to `readTo`
  let blockStart = 0
  let readTo = 0

  function advance() {
    voice.read(readTo, block)
    readTo += BLOCK_FRAMES
    convolver.next(block, block)
    blockStart = readTo - BLOCK_FRAMES - reach
  }

  function seek(frame: number) {
    convolver.reset()
    readTo = frame - reach
    blockStart = Number.NEGATIVE_INFINITY
    while (blockStart + BLOCK_FRAMES <= frame) advance()
  }

  return {
    read(outputFrame, out) {
      const frames = out[0]?.length ?? 0
      if (outputFrame !== at) seek(outputFrame)
      at = outputFrame
      for (let done = 0; done < frames; ) {
        if (at >= blockStart + BLOCK_FRAMES) advance()
        const from = at - blockStart
        const take = Math.min(frames - done, BLOCK_FRAMES - from)
        out.forEach((channel, c) => {
          channel.set((block[c] as Float32Array).subarray(from, from + take), done)
        })
        done += take
        at += take
      }
    },
  }
}

/** A whole sound behind a drawn filter, as long as it was, in small steps. */
export function* filterSteps(audio: AudioBlock, filter: DrawnFilter): Preparing<AudioBlock> {
  const frames = frameCount(audio)
  const channels = silence(audio.channels.length, frames)
  const source: Pulled = {
    read(from, out) {
      out.forEach((channel, c) => {
        channel.fill(0)
        const start = Math.max(0, from)
        const end = Math.min(frames, from + channel.length)
        if (end > start) channel.set((audio.channels[c] as Float32Array).subarray(start, end), start - from)
      })
    },
  }
  const voice = filteredVoice(source, channels.length, filter, audio.sampleRate)
  for (let at = 0; at < frames; at += BLOCK_FRAMES) {
    const to = Math.min(frames, at + BLOCK_FRAMES)
    voice.read(
      at,
      channels.map((channel) => channel.subarray(at, to)),
    )
    yield
  }
  return { sampleRate: audio.sampleRate, channels }
}
