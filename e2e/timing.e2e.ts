import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import type { Page } from '@playwright/test'
import { type AudioBlock, analyse, readGroove, readWav, writeWav } from '../src/core'
import { bestLag } from '../src/core/testing/lag'
import { timedLoop } from '../src/core/testing/timedLoops'
import { choose, drawn, expect, exportNow, heard, listen, openSession, test, type } from './bench'

const RATE = 48_000
/** of the rope winch, at 96 BPM */
const SIXTEENTH = 60 / 96 / 4

const number = (page: Page, name: string) => page.getByRole('spinbutton', { name, exact: true })
const timing = (page: Page) => page.getByRole('region', { name: 'Timing' })
const plot = (page: Page) => page.getByRole('slider', { name: 'Off-grid' })

async function openTiming(page: Page, source: string) {
  await openSession(page, source)
  await page.getByRole('tab', { name: 'Timing' }).click()
  await expect(timing(page)).toContainText('As played')
}

interface Box {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

/** Lane A as a file, and back to the timing. */
async function exported(page: Page): Promise<AudioBlock> {
  await page.getByRole('tab', { name: 'Settings' }).click()
  const { audio } = await exportNow(page, 'A')
  await page.getByRole('tab', { name: 'Timing' }).click()
  return audio
}

/**
 * How far each attack of a file lies off its nearest sixteenth, ms; of grace notes besides strokes nothing is asked.
 */
function offsets(audio: AudioBlock, step = SIXTEENTH): number[] {
  const byStep = new Map<number, { ms: number; strength: number }>()
  for (const { frame, strength } of analyse(audio, ['attacks']).attacks ?? []) {
    const n = Math.round(frame / RATE / step)
    const ms = 1000 * (frame / RATE - n * step)
    if (strength > (byStep.get(n)?.strength ?? 0)) byStep.set(n, { ms, strength })
  }
  return [...byStep.values()].map(({ ms }) => ms)
}

test('a swung loop is drawn straight as far as the rule says, in the file too; undo, a reload and a reset hold', async ({
  page,
}) => {
  await openTiming(page, 'Rope winch')
  await type(number(page, 'Stretch'), '1')
  await expect(timing(page)).toContainText('off-beats 19 ms late')
  await type(number(page, 'Strength'), '50')
  await expect(timing(page)).toContainText('Now')
  await drawn(page)
  const half = offsets(await exported(page)).filter((ms) => Math.abs(ms) > 2)
  expect(half.length).toBeGreaterThan(5)
  for (const ms of half) expect(Math.abs(ms - 9.4)).toBeLessThan(1)
  await type(number(page, 'Strength'), '100')
  await expect(timing(page)).toContainText('Nowtight')
  await drawn(page)
  for (const ms of offsets(await exported(page))) expect(Math.abs(ms)).toBeLessThan(1)
  await page.keyboard.press('Escape')
  await page.keyboard.press('Control+z')
  await expect(number(page, 'Strength')).toHaveAttribute('aria-valuenow', '50')
  await page.keyboard.press('Control+Shift+z')
  await expect(timing(page)).toContainText('Nowtight')
  await page.reload()
  await expect(timing(page)).toContainText('Nowtight')
  await page.getByRole('button', { name: 'Reset all' }).click()
  await expect(timing(page)).toContainText('0 of 45 moved')
})

test('one attack is moved by keys, by typing and by pulling; nothing else in the file changes', async ({ page }) => {
  await openTiming(page, 'Rope winch')
  await type(number(page, 'Stretch'), '1')
  await drawn(page)
  const before = await exported(page)
  await plot(page).focus()
  for (let n = 0; n < 3; n++) await page.keyboard.press('ArrowRight')
  await expect(plot(page)).toHaveAttribute('aria-valuetext', /attack 3 of 45 at 0\.48[78] s, 18\.[78] ms late/)
  for (let n = 0; n < 3; n++) await page.keyboard.press('Shift+ArrowUp')
  await page.keyboard.press('ArrowDown')
  await expect(plot(page)).toHaveAttribute('aria-valuetext', /47\.[78] ms late/)
  await type(number(page, 'Off the grid'), '-20')
  await expect(plot(page)).toHaveAttribute('aria-valuetext', /20\.0 ms early/)
  await expect(timing(page)).toContainText('1 of 45 moved')
  await drawn(page)
  const after = await exported(page)
  const attacks = (analyse(before, ['attacks']).attacks ?? []).map(({ frame }) => frame)
  const [from, to] = [attacks[1] as number, attacks[3] as number]
  before.channels.forEach((channel, c) => {
    const made = after.channels[c] as Float32Array
    expect(made.length).toBe(channel.length)
    expect(sameUpTo(made, channel, 0, from)).toBe(true)
    expect(sameUpTo(made, channel, to, channel.length)).toBe(true)
  })
  const moved = (analyse(after, ['attacks']).attacks ?? []).map(({ frame }) => frame / RATE)
  expect(Math.min(...moved.map((at) => Math.abs(at - (3 * SIXTEENTH - 0.02))))).toBeLessThan(0.001)
  // it cannot be pressed through its neighbour, and says so
  await type(number(page, 'Off the grid'), '-400')
  await expect(timing(page)).toContainText('goes no earlier')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Reset it' }).click()
  await expect(timing(page)).toContainText('0 of 45 moved')

  // pulled with the pointer, it is laid on the grid when it comes near
  const box = (await plot(page).boundingBox()) as Box
  const at = { x: box.x + (0.4875 / 10) * box.width, y: box.y + box.height / 2 - (18.75 / 80) * (box.height / 2 - 9) }
  await page.mouse.move(at.x, at.y)
  await page.mouse.down()
  await page.mouse.move(at.x, at.y + 5)
  await page.mouse.move(at.x, at.y + 8)
  await page.mouse.up()
  await expect(plot(page)).toHaveAttribute('aria-valuetext', /attack 3 of 45 at 0\.48[78] s, on the grid/)
  await page.keyboard.press('Control+z')
  await expect(timing(page)).toContainText('0 of 45 moved')

  // the same attack by its handle in the lanes: sideways, free of the grid, reset by a key
  const handle = page.getByRole('slider', { name: /^Pull the attack at 0\.48[78] s/ })
  const grip = (await handle.boundingBox()) as Box
  await page.mouse.move(grip.x + 4, grip.y + 5)
  await page.mouse.down()
  await page.mouse.move(grip.x + 8, grip.y + 5)
  await page.keyboard.down('Control')
  await page.mouse.move(grip.x + 9, grip.y + 5)
  await page.mouse.up()
  await page.keyboard.up('Control')
  // five pixels of a plot of ten seconds
  const pulled = 18.75 + (1000 * 10 * 5) / box.width
  await expect(plot(page)).toHaveAttribute(
    'aria-valuetext',
    new RegExp(`${pulled.toFixed(0)}\\.\\d ms late|${Math.floor(pulled)}\\.\\d ms late`),
  )
  await expect(timing(page)).toContainText('1 of 45 moved')
  await handle.press('ArrowLeft')
  await expect(plot(page)).toHaveAttribute(
    'aria-valuetext',
    new RegExp(`${(pulled - 1).toFixed(0)}\\.\\d ms late|${Math.floor(pulled - 1)}\\.\\d ms late`),
  )
  await handle.press('Delete')
  await expect(timing(page)).toContainText('0 of 45 moved')
})

test('the groove of one loop is taken and laid on another, and its file has it', async ({ page }) => {
  await openTiming(page, 'Rope winch')
  await page.getByRole('button', { name: 'Take groove' }).click()
  await choose(page, 'Chain rattle')
  await page.getByRole('combobox', { name: 'Groove', exact: true }).selectOption('Rope winch')
  const waiting = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Save the groove as JSON' }).click()
  const download = await waiting
  expect(download.suggestedFilename()).toBe('Rope-winch_groove.json')
  const groove = readGroove(readFileSync((await download.path()) as string, 'utf8'), 'groove.json')
  expect(((groove.offsets[3] as number) * 60_000) / 96).toBeCloseTo(18.75, 0)
  const notes = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Save the groove as MIDI' }).click()
  expect((await notes).suggestedFilename()).toBe('Rope-winch_groove.mid')
  await type(number(page, 'Strength'), '100')
  await expect(timing(page)).toContainText('moved')
  await drawn(page)
  const late = offsets(await exported(page), 60 / 100 / 4).filter((ms) => ms > 5)
  expect(late.length).toBeGreaterThan(1)
  // 18.75 ms at 96 BPM are 18 at 100
  for (const ms of late) expect(Math.abs(ms - 18)).toBeLessThan(3)

  // it is called something else, comes in again from its file, and goes
  const grooves = page.getByRole('combobox', { name: 'Groove', exact: true })
  await page.getByRole('textbox', { name: 'Name of the groove' }).fill('Winch walk')
  await page.getByRole('textbox', { name: 'Name of the groove' }).press('Enter')
  await expect(grooves.locator('option:checked')).toHaveText('Winch walk')
  await page.getByLabel('Groove file').setInputFiles({
    name: 'Ebb_groove.json',
    mimeType: 'application/json',
    buffer: readFileSync((await download.path()) as string),
  })
  await grooves.selectOption('Ebb')
  await expect(timing(page)).toContainText('moved')
  await page.getByRole('button', { name: 'Remove the groove' }).click()
  await expect(grooves.getByRole('option')).toHaveText(['none', 'Winch walk'])
  await page.getByLabel('Groove file').setInputFiles({
    name: 'torn.json',
    mimeType: 'application/json',
    buffer: Buffer.from('{"steps":'),
  })
  await expect(page.getByRole('region', { name: 'Notices' })).toContainText('torn.json is no groove')
  await page.keyboard.press('Control+z')
  await expect(grooves.getByRole('option')).toHaveText(['none', 'Winch walk', 'Ebb'])
})

test('a pin is heard while it plays, without a gap @listens', async ({ page }) => {
  await openTiming(page, 'Rope winch')
  await type(number(page, 'Stretch'), '1')
  await drawn(page)
  await page.keyboard.press('1')
  await page.keyboard.press('Space')
  await listen(page, 1)
  await plot(page).focus()
  for (let n = 0; n < 20; n++) await page.keyboard.press('ArrowRight')
  for (let n = 0; n < 4; n++) await page.keyboard.press('Shift+ArrowUp')
  const samples = await listen(page, 1)
  // no hole of 20 ms within what went out
  let silent = 0
  let most = 0
  for (const value of samples) {
    silent = value === 0 ? silent + 1 : 0
    most = Math.max(most, silent)
  }
  expect(most).toBeLessThan(0.02 * RATE)
})

/** Whether samples are those of another from one frame up to another, to the step of 24 bits and its dither. */
function sameUpTo(a: Float32Array, b: Float32Array, from: number, to: number): boolean {
  for (let i = from; i < to; i++) if (Math.abs((a[i] as number) - (b[i] as number)) > 3 / 2 ** 23) return false
  return true
}

test('a sentence is slowed and the rest stays; the length is told, can be kept, and is that of the file', async ({
  page,
}) => {
  await openSession(page, "Guide's line")
  await page.getByRole('tab', { name: 'Timing' }).click()
  await page.getByRole('button', { name: 'Speed', exact: true }).click()
  await drawn(page)
  await page.getByRole('tab', { name: 'Settings' }).click()
  const { audio: before } = await exportNow(page, 'A')
  await page.getByRole('tab', { name: 'Timing' }).click()
  const lane = (await page.getByRole('img', { name: 'Waveform of the reference' }).boundingBox()) as Box
  await page.mouse.move(lane.x + 0.3 * lane.width, lane.y + 20)
  await page.mouse.down()
  await page.mouse.move(lane.x + 0.6 * lane.width, lane.y + 20, { steps: 4 })
  await page.mouse.up()
  await page.getByRole('button', { name: 'Slow it' }).click()
  const speed = page.getByRole('region', { name: 'Speed' })
  await expect(speed).toContainText('become')
  const point = page.getByRole('slider', { name: 'Speed point 1 of 4' })
  const from = Math.round(Number(/at ([\d.]+) s/.exec((await point.getAttribute('aria-valuetext')) ?? '')?.[1]) * RATE)
  await drawn(page)
  const slow = await exported(page)
  const frames = before.channels[0]?.length as number
  const longer = (slow.channels[0]?.length as number) - frames
  expect(Math.abs(longer - 0.25 * 0.3 * frames)).toBeLessThan(0.01 * frames)
  await expect(page.getByRole('spinbutton', { name: 'Length in seconds' })).toHaveAttribute(
    'aria-valuenow',
    String((frames + longer) / RATE),
  )
  // what lies before and behind is the line itself
  before.channels.forEach((channel, c) => {
    const made = slow.channels[c] as Float32Array
    expect(sameUpTo(made, channel, 0, from - 60)).toBe(true)
    const tail = frames - Math.round(0.62 * frames)
    expect(sameUpTo(made.subarray(made.length - tail), channel.subarray(frames - tail), 0, tail)).toBe(true)
  })
  await speed.getByRole('checkbox', { name: /keep the length/ }).check()
  await drawn(page)
  expect((await exported(page)).channels[0]?.length).toBe(frames)
  await point.focus()
  await page.keyboard.press('Delete')
  await expect(page.getByRole('slider', { name: /Speed point/ })).toHaveCount(3)
  await speed.getByRole('button', { name: 'Reset speed' }).click()
  await expect(page.getByRole('slider', { name: /Speed point/ })).toHaveCount(0)
})

test('a line that is fitted to picture is paced as speech: the file is as long as its slot, and what the command makes', async ({
  page,
}, info) => {
  await openSession(page, "Guide's line")
  await drawn(page)
  await page.getByRole('button', { name: 'Fit to picture' }).click()
  await type(number(page, 'Length of the slot'), '9')
  await page.getByRole('button', { name: 'Fill it' }).click()
  const offer = page.getByRole('status', { name: 'Speech pacing' })
  await offer.getByRole('button', { name: 'Pace it as speech' }).click()
  await expect(offer).toContainText('Paced as speech, 80 %')
  await page.keyboard.press('Escape')
  await page.getByRole('tab', { name: 'Timing' }).click()
  await page.getByRole('button', { name: 'Speed', exact: true }).click()
  const speed = page.getByRole('region', { name: 'Speed' })
  await type(number(page, 'Speech pacing'), '100')
  await expect(speed.getByRole('status')).toContainText('consonants keep nearly their length')
  await drawn(page)
  const paced = await exported(page)
  expect(paced.channels[0]?.length).toBe(9 * RATE)
  const out = info.outputPath('paced.wav')
  const file = 'public/demo/guide-line-take-3.wav'
  execFileSync(process.execPath, [
    ...['bin/zumbet.mjs', 'fit', file, out, '--seconds', '9', '--method', 'cycle', '--pacing', '100'],
  ])
  const made = readWav(readFileSync(out), out).audio.channels[0] as Float32Array
  expect(made.length).toBe(9 * RATE)
  expect(sameUpTo(made, paced.channels[0] as Float32Array, 0, made.length)).toBe(true)
  // it goes along with another length, and is over when it is told to be
  await type(number(page, 'Stretch'), '4')
  await expect(speed.getByRole('status')).toContainText(/up to 1\d(\.\d)?\u00a0×/)
  await speed.getByRole('button', { name: 'Reset speed' }).click()
  await expect(speed.getByRole('status')).toContainText('Select a sentence')
  await expect(number(page, 'Stretch')).toHaveValue(/^4(\.0+)?$/)
})

test('anything is heard slower or faster at its pitch, and what is made stays as it is @listens', async ({ page }) => {
  await openSession(page, 'Foghorn and whistle')
  await drawn(page)
  const ran = async () => {
    const at = async () => Number(await page.getByRole('slider', { name: 'Playhead' }).getAttribute('aria-valuenow'))
    const [place, { total }] = [await at(), await heard(page, 1)]
    // the place and the count are read one behind the other: over some seconds that makes no difference
    await listen(page, 3)
    const [now, then] = [await at(), await heard(page, 1)]
    return (now - place) / ((then.total - total) / RATE)
  }
  await type(number(page, 'Listening speed'), '2')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Play', exact: true }).click()
  const fast = await ran()
  expect(fast).toBeGreaterThan(1.6)
  expect(fast).toBeLessThan(2.4)
  await page.getByRole('button', { name: 'Stop', exact: true }).click()
  expect((await exportNow(page, 'A')).audio.channels[0]?.length).toBe(544_000)
})

test("a part's timing is mended on the timeline, in all its rounds, and taken back by one step", async ({ page }) => {
  await openSession(page)
  await page.keyboard.press('t')
  const part = page.locator('[data-part="flood-winch"]')
  await part.click({ position: { x: 60, y: 30 } })
  await page.getByRole('button', { name: 'Timing', exact: true }).click()
  const shown = page.getByRole('region', { name: 'Timing of Rope winch' })
  await expect(shown).toContainText('off-beats 19 ms late')
  await type(number(page, 'Strength'), '100')
  await expect(shown).toContainText('Nowtight')
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click()
  await expect(shown).toContainText('0 of 45 moved')
})

/** A loop that two microphones heard: the second one later and duller. */
function twoMicrophones() {
  const { audio } = timedLoop('sparse', (n) => (n % 2 ? 0.03 : n % 4 ? 0 : 0.012))
  const near = audio.channels[0] as Float32Array
  const far = near.map((_, i) => 0.5 * ((near[i - LATE] ?? 0) + (near[i - LATE - 1] ?? 0)))
  return [near, far].map((channel, n) => ({
    name: n === 0 ? 'near.wav' : 'far.wav',
    mimeType: 'audio/wav',
    buffer: Buffer.from(writeWav({ sampleRate: RATE, channels: [channel] }, { format: '24' })),
  }))
}
const LATE = 137

test('two microphones that came in together are timed as one, to the frame', async ({ page }) => {
  await openSession(page)
  await page.getByLabel('Sound files').setInputFiles(twoMicrophones())
  const offer = page.getByRole('region', { name: 'Recorded together?' })
  await expect(offer).toContainText('2 sounds of one length')
  await offer.getByRole('button', { name: 'Time them as one' }).click()
  await expect(page.getByRole('list', { name: 'Sources' })).toContainText('kin of near')
  await choose(page, 'far')
  await page.getByRole('tab', { name: 'Timing' }).click()
  await expect(page.getByLabel('Leading kin')).toHaveValue(/./)
  await type(number(page, 'Strength'), '100')
  await expect(timing(page)).toContainText('Now')
  await drawn(page)
  const hearA = () => page.getByRole('button', { name: /^Hear variant A/ }).click()
  await hearA()
  const far = (await exported(page)).channels[0] as Float32Array
  await choose(page, 'near')
  await expect(timing(page)).toContainText('Now')
  await drawn(page)
  await hearA()
  const near = (await exported(page)).channels[0] as Float32Array
  expect(near.length).toBe(far.length)
  // wherever the first beat was found, all lie alike from there
  const late = offsets({ sampleRate: RATE, channels: [near] }, 60 / 104 / 4).sort((a, b) => a - b)
  expect((late.at(-1) as number) - (late[0] as number)).toBeLessThan(3)
  const lags = Array.from({ length: 30 }, (_, n) =>
    bestLag(near, far, Math.round(((n + 0.5) / 30) * (near.length - 8000)), 6000),
  )
  const told = lags.filter((lag) => lag !== undefined)
  expect(told.length).toBeGreaterThan(8)
  for (const lag of told) expect(Math.abs(lag - LATE)).toBeLessThanOrEqual(1)
  await page.getByRole('button', { name: 'No longer together' }).click()
  await expect(page.getByRole('list', { name: 'Sources' })).not.toContainText('kin of near')
})
