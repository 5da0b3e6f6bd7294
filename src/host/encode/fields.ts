import { type Markers, type SoundTags, tagFields } from '../../core'

const encoder = new TextEncoder()

/**
 * All that is said of a sound, as fields of any name. Marks are chapters, the first loop has its start and length.
 * Frames are those of the file; chapters are in its time as well.
 */
export function fieldsOf(tags: SoundTags, { cues, loops, rootNote, tempo }: Markers, sampleRate: number) {
  const fields = tagFields({ ...tempo, ...tags })
  if (rootNote !== undefined) fields.push(['ROOT_NOTE', String(rootNote)])
  cues.forEach(({ frame, label }, n) => {
    const name = `CHAPTER${String(n + 1).padStart(3, '0')}`
    fields.push([name, clock(frame / sampleRate)], [`${name}NAME`, label], [`${name}FRAME`, String(frame)])
  })
  const [loop] = loops
  if (loop) fields.push(['LOOPSTART', String(loop.startFrame)], ['LOOPLENGTH', String(loop.endFrame - loop.startFrame)])
  return fields
}

/** `00:01:02.345` */
function clock(seconds: number): string {
  const ms = Math.round(seconds * 1000)
  const two = (value: number) => String(value).padStart(2, '0')
  const [h, m, s] = [Math.floor(ms / 3_600_000), Math.floor(ms / 60_000) % 60, Math.floor(ms / 1000) % 60]
  return `${two(h)}:${two(m)}:${two(s)}.${String(ms % 1000).padStart(3, '0')}`
}

/** Marks out of such fields. Frames beyond the sound fall away. */
export function markersFromFields(fields: readonly (readonly [string, string])[], frames: number): Markers {
  const by = new Map(fields.map(([name, value]) => [name.toUpperCase(), value]))
  const whole = (name: string, most: number) => {
    const value = Number(by.get(name) || Number.NaN)
    return Number.isInteger(value) && value >= 0 && value <= most ? value : undefined
  }
  const cues = [...by.keys()].flatMap((name) => {
    const [, number] = /^CHAPTER(\d{3})FRAME$/.exec(name) ?? []
    const frame = number === undefined ? undefined : whole(name, frames)
    return frame === undefined ? [] : [{ frame, label: by.get(`CHAPTER${number}NAME`) ?? '' }]
  })
  const [start, length, rootNote] = [whole('LOOPSTART', frames), whole('LOOPLENGTH', frames), whole('ROOT_NOTE', 127)]
  const bpm = Number(by.get('BPM') ?? Number.NaN)
  const beats = whole('BEATS', 1e6)
  return {
    cues,
    loops:
      start !== undefined && length && start + length <= frames
        ? [{ startFrame: start, endFrame: start + length, kind: 'forward', plays: 0 }]
        : [],
    ...(rootNote !== undefined && { rootNote }),
    ...(bpm >= 20 && bpm <= 400 && { tempo: { bpm, ...(beats && { beats }) } }),
  }
}

/**
 * Fields as Vorbis comments: who made it, how many, each as `NAME=value`.
 * Source  Xiph.Org, "Ogg Vorbis I format specification: comment field and header specification".
 */
export function vorbisComments(fields: readonly (readonly [string, string])[]): Uint8Array<ArrayBuffer> {
  const texts = ['Zumbet', ...fields.map(([name, value]) => `${name}=${value}`)].map((text) => encoder.encode(text))
  const bytes = new Uint8Array(texts.reduce((sum, text) => sum + 4 + text.length, 4))
  const view = new DataView(bytes.buffer)
  let at = 0
  texts.forEach((text, n) => {
    view.setUint32(at, text.length, true)
    bytes.set(text, at + 4)
    at += 4 + text.length
    if (n > 0) return
    view.setUint32(at, fields.length, true)
    at += 4
  })
  return bytes
}
