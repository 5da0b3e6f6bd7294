import { type AudioBlock, type Channels, frameCount, type Markers } from '../audio/block'
import { ratioToSemitones, semitonesToRatio } from '../dsp/units'
import { keepFormants } from '../methods/keepFormants'
import type { Voice } from '../methods/method'
import { methodById } from '../methods/registry'
import { resolveSettings } from '../methods/settings'
import { asOutput, asSource } from '../timeline/axes'
import { constantPitch } from '../timeline/pitchLine'
import { straightMap, type TimeMap } from '../timeline/timeMap'
import type { Recipe } from './recipe'

/** A result that can be read, with its exact length and what is where in it. */
export interface Rendering {
  readonly map: TimeMap
  /** what the pitch comes to: for a method that ties pitch to speed it follows from the length */
  readonly pitchSemitones: number
  /** the result is the source itself, bit for bit */
  readonly isSource: boolean
  readonly voice: Voice
}

/**
 * The map that a recipe comes to for a source of that length. A method that ties pitch to speed has only one line to
 * follow: length and pitch both turn its speed.
 */
export function mapOf(
  recipe: Recipe,
  sourceFrames: number,
): { map: TimeMap; stretch: number; pitchSemitones: number; isSource: boolean } {
  const tied = methodById(recipe.methodId).tiesPitchToSpeed
  const stretch = tied ? recipe.stretch / semitonesToRatio(recipe.pitchSemitones) : recipe.stretch
  const pitchSemitones = tied ? -ratioToSemitones(stretch) : recipe.pitchSemitones
  const isSource = stretch === 1 && (tied || recipe.pitchSemitones === 0)
  return { map: straightMap(sourceFrames, stretch), stretch, pitchSemitones: pitchSemitones || 0, isSource }
}

/**
 * Open a recipe on a source. Outside its frames a rendering is silent.
 * @throws {AppError} as `checkRecipe` for a recipe that does not hold.
 */
export function openRendering(source: AudioBlock, recipe: Recipe): Rendering {
  const method = methodById(recipe.methodId)
  const settings = resolveSettings(method.settings, recipe.settings)
  const frames = frameCount(source)
  const { map, pitchSemitones, isSource } = mapOf(recipe, frames)
  if (isSource) return { map, pitchSemitones, isSource, voice: sourceVoice(source) }
  const pitch = constantPitch(method.tiesPitchToSpeed ? 0 : recipe.pitchSemitones)
  let voice = method.open({ source, map, pitch, settings, seed: recipe.seed })
  if (recipe.formants === 'keep' && pitchSemitones !== 0) {
    const ratio = constantPitch(pitchSemitones).ratioAt(asOutput(0))
    voice = keepFormants(source, map, () => ratio, voice)
  }
  return { map, pitchSemitones, isSource, voice: within(voice, map.outputFrames) }
}

/** The source as a voice: what is read is what is there. */
export function sourceVoice(source: AudioBlock): Voice {
  const frames = frameCount(source)
  return {
    read(outputFrame, out) {
      out.forEach((channel, c) => {
        channel.fill(0)
        const from = Math.max(0, outputFrame)
        const to = Math.min(frames, outputFrame + channel.length)
        if (to > from) channel.set((source.channels[c] as Float32Array).subarray(from, to), from - outputFrame)
      })
    },
  }
}

/** Silence before 0 and from `frames` on; the voice is only asked for what lies between. */
function within(voice: Voice, frames: number): Voice {
  return {
    read(outputFrame, out) {
      const size = out[0]?.length ?? 0
      const from = Math.max(0, outputFrame)
      const to = Math.min(frames, outputFrame + size)
      if (from === outputFrame && to === outputFrame + size) {
        voice.read(outputFrame, out)
        return
      }
      for (const channel of out) channel.fill(0)
      if (to > from) voice.read(from, slices(out, from - outputFrame, to - outputFrame))
    },
  }
}

function slices(channels: Channels, from: number, to: number): Float32Array[] {
  return channels.map((channel) => channel.subarray(from, to))
}

/** Cues and loops of the source at their places in the result. */
export function mapMarkers(markers: Markers, map: TimeMap): Markers {
  const move = (frame: number) => Math.min(map.outputFrames, Math.round(map.outputAt(asSource(frame))))
  return {
    ...markers,
    cues: markers.cues.map((cue) => ({ ...cue, frame: move(cue.frame) })),
    loops: markers.loops
      .map((loop) => ({ ...loop, startFrame: move(loop.startFrame), endFrame: move(loop.endFrame) }))
      .filter((loop) => loop.endFrame > loop.startFrame),
  }
}
