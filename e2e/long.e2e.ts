import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createRandom } from '../src/core/dsp/random'
import { rms } from '../src/core/testing/tone'
import {
  choose,
  expect,
  exportNow,
  firstSound,
  follow,
  heardSince,
  listen,
  openSession,
  output,
  test,
  type,
} from './bench'

const RATE = 44_100
const SECONDS = 270

/** Waves that break every few seconds, noise that is nowhere the same: too long to be held in memory, 16 bit, stereo. */
function writeSurf(place: string): Int16Array {
  const random = createRandom(11)
  const samples = new Int16Array(2 * RATE * SECONDS)
  for (let i = 0; i < samples.length; i++) {
    const seconds = i / 2 / RATE
    const swell = Math.exp(-(seconds % 3.7)) + 0.1
    samples[i] = Math.round(16_000 * swell * (random() - 0.5))
  }
  const header = Buffer.alloc(44)
  header.write('RIFF', 0)
  header.writeUInt32LE(36 + samples.byteLength, 4)
  header.write('WAVEfmt ', 8)
  header.writeUInt32LE(16, 16)
  header.writeUInt16LE(1, 20)
  header.writeUInt16LE(2, 22)
  header.writeUInt32LE(RATE, 24)
  header.writeUInt32LE(4 * RATE, 28)
  header.writeUInt16LE(4, 32)
  header.writeUInt16LE(16, 34)
  header.write('data', 36)
  header.writeUInt32LE(samples.byteLength, 40)
  writeFileSync(place, Buffer.concat([header, Buffer.from(samples.buffer)]))
  return samples
}

test('a long recording stays in its file: played, stretched and exported from there, also after a reload @listens', async ({
  page,
}) => {
  const folder = mkdtempSync(join(tmpdir(), 'zumbet-e2e-'))
  const place = join(folder, 'surf.wav')
  const samples = writeSurf(place)
  await openSession(page)
  await page.getByLabel('Sound files').setInputFiles(place)
  await choose(page, 'surf')
  await expect(page.getByRole('main')).toContainText('4:30.000')

  // a result of 76 MB, put together on the browser's disk
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '0.8')
  await page.getByRole('button', { name: 'Variant C', exact: true }).click()
  const file = await exportNow(page, 'C', 'WAV 32 float')
  const out = join(folder, 'stretched.wav')
  execFileSync(process.execPath, [
    'bin/zumbet.mjs',
    'render',
    place,
    out,
    '--method',
    'grain',
    '--stretch',
    '0.8',
    '--depth',
    '32f',
  ])
  expect(file.bytes.equals(readFileSync(out))).toBe(true)

  // the file that was brought in is not asked for again
  writeFileSync(place, 'gone')
  await page.reload()
  await choose(page, 'surf')
  await page.getByRole('button', { name: 'Match loudness' }).click()
  await page.keyboard.press('0')
  await page.keyboard.press('Space')
  await listen(page, 2)
  const { samples: played, total } = await heardSince(page, 0)
  const { underruns } = await output(page)
  console.log(`    output: ${underruns} underruns in ${total} frames`)
  const ideal = Float32Array.from({ length: samples.length / 2 }, (_, i) => (samples[2 * i] as number) / 32_768)
  const { end, silent } = follow(played, ideal)
  // all that was played, to its last sample
  expect(end).toBe(played.length)
  if (silent > 0) expect(underruns, `${silent} silent samples`).toBeGreaterThan(0)
  expect(rms(played.subarray(firstSound(played)))).toBeGreaterThan(0.02)
  await page.keyboard.press('1')
  expect(rms(await listen(page, 1))).toBeGreaterThan(0.02)
  await page.keyboard.press('Space')
})
