import { spawn, spawnSync } from 'node:child_process'
import { copyFileSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from '@playwright/test'
import { writeWav } from '../../src/core'
import { createRandom } from '../../src/core/dsp/random'

// A batch, and a file that is saved over, are killed at random moments: `npm run endure -- takeaway`.
// ENDURE_KILLS=10 does fewer.

const KILLS = Number(process.env.ENDURE_KILLS ?? 50)
const SEED = Number(process.env.ENDURE_SEED ?? 21)
const RATE = 48_000

let folder: string
const place = (...names: string[]) => join(folder, ...names)
test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-endure-'))
})
test.afterAll(() => rmSync(folder, { recursive: true, force: true }))

const tone = (hz: number, seconds: number) => ({
  sampleRate: RATE,
  channels: [Float32Array.from({ length: seconds * RATE }, (_, i) => 0.4 * Math.sin((2 * Math.PI * hz * i) / RATE))],
})
const command = (words: readonly string[]) => spawnSync(process.execPath, ['bin/zumbet.mjs', ...words])

/** Begin a command and end it without warning some time later; true where it was still at work. */
async function killed(words: readonly string[], afterMs: number): Promise<boolean> {
  const running = spawn(process.execPath, ['bin/zumbet.mjs', ...words], { stdio: 'ignore', detached: true })
  const ended = new Promise<void>((resolve) => running.once('close', () => resolve()))
  await new Promise((resolve) => setTimeout(resolve, afterMs))
  const wasRunning = running.exitCode === null
  // it and whatever it began
  if (wasRunning && running.pid !== undefined) process.kill(-running.pid, 'SIGKILL')
  await ended
  return wasRunning
}

/** names that belong to a batch itself */
const isOwn = (name: string) => name.startsWith('.') || name.includes('/.') || name.endsWith('.csv')
const filesIn = (at: string) =>
  readdirSync(at, { recursive: true, encoding: 'utf8' }).filter((name) => /\.(flac|wav)$/.test(name) && !isOwn(name))

test(`a batch that is killed at ${KILLS} moments leaves no broken file, ever, and comes to the same in the end`, async () => {
  const random = createRandom(SEED)
  mkdirSync(place('in', 'deep'), { recursive: true })
  for (let n = 0; n < 24; n++)
    writeFileSync(place('in', n % 2 ? 'deep' : '', `${n}.wav`), writeWav(tone(100 + 7 * n, 1), { format: '24' }))
  const flags = ['--stretch', '1.3', '--method', 'wsola', '--format', 'flac', '--lufs', '-18', '--workers', '2']
  expect(command(['batch', place('in'), place('undisturbed'), ...flags]).status).toBe(0)
  const whole = new Map(filesIn(place('undisturbed')).map((name) => [name, readFileSync(place('undisturbed', name))]))
  expect(whole.size).toBe(24)
  let ended = 0
  for (let kill = 0; kill < KILLS; kill++) {
    // begun afresh now and then, so that every stage is met
    if (kill % 8 === 0) rmSync(place('killed'), { recursive: true, force: true })
    mkdirSync(place('killed'), { recursive: true })
    if (await killed(['batch', place('in'), place('killed'), ...flags, '--resume'], 400 + 2600 * random())) ended++
    for (const name of filesIn(place('killed')))
      expect(
        readFileSync(place('killed', name)).equals(whole.get(name) as Buffer),
        `${name}, kill ${kill}, seed ${SEED}`,
      ).toBe(true)
  }
  expect(ended).toBeGreaterThan(KILLS / 4)
  expect(command(['batch', place('in'), place('killed'), ...flags, '--resume']).status).toBe(0)
  expect(filesIn(place('killed')).sort()).toEqual([...whole.keys()].sort())
  for (const [name, bytes] of whole) expect(readFileSync(place('killed', name)).equals(bytes), name).toBe(true)
  expect(readdirSync(place('killed')).filter((name) => name.endsWith('.part'))).toEqual([])
})

test(`a file that is saved over while the command is killed at ${KILLS} moments is the old one or the new one`, async () => {
  const random = createRandom(SEED + 1)
  writeFileSync(place('source.wav'), writeWav(tone(220, 6), { format: '24' }))
  const words = [
    'render',
    place('source.wav'),
    place('linked.wav'),
    '--method',
    'layered',
    '--stretch',
    '1.5',
    '--workers',
    '1',
  ]
  expect(command(words).status).toBe(0)
  const next = readFileSync(place('linked.wav'))
  copyFileSync(place('source.wav'), place('old.wav'))
  const old = readFileSync(place('old.wav'))
  let ended = 0
  const met = { old: 0, new: 0 }
  for (let kill = 0; kill < KILLS; kill++) {
    copyFileSync(place('old.wav'), place('linked.wav'))
    if (await killed(words, 300 + 2000 * random())) ended++
    const now = readFileSync(place('linked.wav'))
    const is = now.equals(old) ? 'old' : now.equals(next) ? 'new' : undefined
    expect(is, `kill ${kill}, seed ${SEED}: ${now.length} bytes that are neither`).toBeDefined()
    met[is as 'old' | 'new']++
  }
  expect(ended).toBeGreaterThan(KILLS / 4)
  expect(met.old).toBeGreaterThan(0)
})
