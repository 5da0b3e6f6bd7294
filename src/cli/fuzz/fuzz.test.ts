import { spawnSync } from 'node:child_process'
import { describe, expect, it } from 'vitest'
import { tryFile } from './tryFile'

describe('broken files', () => {
  it('come in or are refused in words, 500 of them of every kind', () => {
    const { status, stdout } = spawnSync(process.execPath, ['scripts/fuzz.mjs', '500'], { encoding: 'utf8' })
    expect(stdout).toContain('500 broken files, 0 wrong')
    expect(status).toBe(0)
  })

  it('are judged: what is no sound, and words of machines, do not pass', async () => {
    // a file that says it has one frame of a rate that nothing can play
    const whole = await tryFile(new TextEncoder().encode('RIFFxxxxWAVEfmt '), 'a.wav')
    expect(whole).toMatchObject({ end: 'refused', code: 'audio/truncated', wrong: undefined })
    const odd = await tryFile(new TextEncoder().encode('RIFFxxxxWAVEfmt '), 'a NaN.wav')
    expect(odd.wrong).toContain('raw words')
  })
})
