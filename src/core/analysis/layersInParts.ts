import type { AudioBlock } from '../audio/block'
import type { SoundSource } from '../audio/soundSource'
import type { Progress } from '../task'
import { createLayers, TILE } from './layers'

/** more than any window of the layers reaches, s */
const AROUND_SECONDS = 3.5

export interface LayersPart {
  /** frames of the source, end exclusive */
  readonly from: number
  readonly to: number
  readonly sines: AudioBlock
  readonly attacks: AudioBlock
  readonly noise: AudioBlock
}

/**
 * The three layers of a long sound come part by part: none lies in memory as a whole. Parts are cut at the layers' own
 * tiles, with enough around them that each comes to what it is in the whole.
 * @param attacks  source frames, rising.
 */
export function* layersInParts(
  source: SoundSource,
  attacks: readonly number[],
  partSeconds: number,
): Generator<LayersPart & { readonly progress: Progress }> {
  const tiles = (seconds: number) => Math.max(1, Math.ceil((seconds * source.sampleRate) / TILE)) * TILE
  const step = tiles(partSeconds)
  const around = tiles(AROUND_SECONDS)
  for (let from = 0; from < source.frames; from += step) {
    const to = Math.min(source.frames, from + step)
    const start = Math.max(0, from - around)
    const end = Math.min(source.frames, to + around)
    const own = attacks.filter((frame) => frame >= start && frame < end).map((frame) => frame - start)
    const layers = createLayers(source.part(start, end), own)
    layers.ensure(from - start, to - start)
    const cut = ({ sampleRate, channels }: AudioBlock): AudioBlock => ({
      sampleRate,
      channels: channels.map((channel) => channel.subarray(from - start, to - start)),
    })
    yield {
      from,
      to,
      sines: cut(layers.sines),
      attacks: cut(layers.attacks),
      noise: cut(layers.noise),
      progress: { doneFrames: to, totalFrames: source.frames },
    }
  }
}
