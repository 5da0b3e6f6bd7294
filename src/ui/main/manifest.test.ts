import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { acceptedEndings } from '../../host/sniff'

describe('the manifest', () => {
  const manifest = JSON.parse(readFileSync('public/manifest.webmanifest', 'utf8')) as {
    file_handlers: { accept: Record<string, string[]> }[]
    icons: { src: string; sizes: string }[]
  }
  it('opens sessions and every kind of sound file that is read', () => {
    const handled = manifest.file_handlers.flatMap(({ accept }) => Object.values(accept).flat())
    expect(new Set(handled)).toEqual(new Set([...acceptedEndings.map((ending) => `.${ending}`), '.zumbet']))
    expect(handled).toHaveLength(new Set(handled).size)
  })
  it('names pictures that are there, as large as it says', () => {
    for (const { src, sizes } of manifest.icons) {
      const bytes = readFileSync(`public${src}`)
      if (src.endsWith('.svg')) continue
      expect(`${bytes.readUInt32BE(16)}x${bytes.readUInt32BE(20)}`).toBe(sizes)
    }
  })
})
