import { mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { writeWav } from '../core'
import { sine } from '../core/testing/signals'
import { zumbet } from './testing/zumbet'
import { watchFile } from './watch'

const rows = (out: string) => out.split('\n').map((line) => JSON.parse(line) as { seconds?: number; broken?: string })

describe('watch', () => {
  let dir: string
  beforeAll(() => {
    dir = mkdtempSync(join(tmpdir(), 'zumbet-watch-'))
  })
  afterAll(() => rmSync(dir, { recursive: true, force: true }))
  const wav = (seconds: number) => writeWav(sine({ hz: 330, seconds }), { format: '16' })

  it('tells what a file holds, and again each time another one is swapped in', async () => {
    const file = join(dir, 'linked.wav')
    writeFileSync(file, wav(1))
    const lines: string[] = []
    const terminal = {
      out: (line: string) => void lines.push(line),
      err: () => undefined,
      progress: () => undefined,
      ask: async () => undefined,
    }
    const watching = watchFile([file, '--times', '3', '--json'], terminal)
    for (const seconds of [2, 3]) {
      // the one before was surely seen
      await vi.waitFor(() => expect(lines).toHaveLength(seconds - 1), { timeout: 20_000 })
      writeFileSync(`${file}.new`, wav(seconds))
      renameSync(`${file}.new`, file)
    }
    await watching
    expect(rows(lines.join('\n')).map(({ seconds }) => seconds)).toEqual([1, 2, 3])
  })

  it('says so when a file is not whole', async () => {
    const file = join(dir, 'torn.wav')
    writeFileSync(file, wav(1).subarray(0, 20))
    const { stdout } = zumbet('watch', file, '--times', '1', '--json')
    expect(rows(stdout.trim())[0]?.broken).toContain('torn.wav')
  })

  it('waits for one that is not there yet, as long as it is told to', async () => {
    const { status, stderr } = zumbet('watch', join(dir, 'none.wav'), '--seconds', '0.2')
    expect(status).toBe(0)
    expect(stderr).toContain('is not there')
  })
})
