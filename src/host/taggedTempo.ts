/**
 * The tempo that a file carries in its own data (ID3, Vorbis comments, MP4), in beats a minute; undefined where it has none
 * or cannot be asked.
 */
export async function taggedTempo(bytes: Uint8Array): Promise<number | undefined> {
  try {
    const { ALL_FORMATS, BufferSource, Input } = await import('mediabunny')
    const tags = await new Input({ source: new BufferSource(bytes), formats: ALL_FORMATS }).getMetadataTags()
    const raw = tags.raw ?? {}
    const written = tags.beatsPerMinute ?? raw.BPM ?? raw.TEMPO ?? raw.tmpo
    const bpm = Number(Array.isArray(written) ? written[0] : written)
    return bpm >= 40 && bpm <= 240 ? bpm : undefined
  } catch {
    // what cannot be read as tags carries no tempo; whether it can be read as sound is not asked here
    return undefined
  }
}
