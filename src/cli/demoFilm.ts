import { BufferSource, BufferTarget, Conversion, Input, OggOutputFormat, Output, WEBM } from 'mediabunny'
import type { AudioBlock } from '../core'
import { WALL_CLOCK } from '../core/demo/wallClock'
import { decodeFile } from '../host/decodeFile'
import type { SourceFacts } from '../session'

/**
 * What the page finds in the film of a first visit. Node has no decoder for films, so the packets of its sound go into
 * a file that can be read here.
 * @param bytes  of the film, whose sound is Opus
 */
export async function filmSound(
  bytes: Uint8Array,
): Promise<{ audio: AudioBlock; picture: NonNullable<SourceFacts['picture']> }> {
  const input = new Input({ source: new BufferSource(bytes), formats: [WEBM] })
  const target = new BufferTarget()
  const output = new Output({ format: new OggOutputFormat(), target })
  await (await Conversion.init({ input, output, video: { discard: true } })).execute()
  const film = await input.getPrimaryVideoTrack()
  if (!film || !target.buffer) throw new Error('demoFilm: the film lacks its picture or its sound')
  const { audio } = await decodeFile(new Uint8Array(target.buffer), 'film.opus')
  const { width, height, rate } = WALL_CLOCK
  return { audio, picture: { seconds: await film.computeDuration(), width, height, rate } }
}
