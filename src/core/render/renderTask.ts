import type { Analysis } from '../analysis/analysis'
import { type AudioBlock, type Channels, silence } from '../audio/block'
import type { Voice } from '../methods/method'
import { finish, type Task } from '../task'
import { openRendering, type Rendering } from './openVoice'
import type { Recipe } from './recipe'

const BLOCK_FRAMES = 4096

/**
 * Render a recipe from its first frame to its last, in blocks that `sink` receives in order and must not keep. Nothing
 * of the result stays in memory here.
 */
export function* renderTask(
  source: AudioBlock,
  recipe: Recipe,
  sink: (block: Channels, frames: number) => void,
  analysis?: Analysis,
): Task<Rendering> {
  const rendering = openRendering(source, recipe, analysis)
  yield* readTask(rendering.voice, source.channels.length, { from: 0, to: rendering.map.outputFrames }, sink)
  return rendering
}

/** Read a voice from one frame up to another in blocks, as `renderTask` does. */
export function* readTask(
  voice: Voice,
  channelCount: number,
  { from, to }: { readonly from: number; readonly to: number },
  sink: (block: Channels, frames: number) => void,
): Task<void> {
  const totalFrames = to - from
  const block = silence(channelCount, BLOCK_FRAMES)
  for (let doneFrames = 0; doneFrames < totalFrames; ) {
    const frames = Math.min(BLOCK_FRAMES, totalFrames - doneFrames)
    const out = frames === BLOCK_FRAMES ? block : block.map((channel) => channel.subarray(0, frames))
    voice.read(from + doneFrames, out)
    sink(out, frames)
    doneFrames += frames
    yield { doneFrames, totalFrames }
  }
}

/** A whole result in memory, for short sounds and tests. */
export function renderBlock(source: AudioBlock, recipe: Recipe): AudioBlock {
  const parts: Float32Array[][] = []
  const { map } = finish(renderTask(source, recipe, (block) => parts.push(block.map((channel) => channel.slice()))))
  const channels = silence(source.channels.length, map.outputFrames)
  let at = 0
  for (const part of parts) {
    part.forEach((channel, c) => {
      channels[c]?.set(channel, at)
    })
    at += part[0]?.length ?? 0
  }
  return { sampleRate: source.sampleRate, channels }
}
