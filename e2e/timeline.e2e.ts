import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Page } from '@playwright/test'
import { strFromU8, unzipSync } from 'fflate'
import { readWav } from '../src/core'
import { decodeFile } from '../src/host/decodeFile'
import { expect, follow, heardSince, listen, openSession, output, saved, silencesIn, test, type } from './bench'
import { written } from './stored'

/** Open the timeline, and wait until all that lies there can be heard. */
async function openTimeline(page: Page) {
  await openSession(page)
  await page.keyboard.press('t')
  await expect(page.getByRole('heading', { name: 'Timeline' })).toBeVisible()
  await allReady(page)
}

async function allReady(page: Page) {
  await expect(page.getByText(/parts can be heard/)).toHaveCount(0, { timeout: 60_000 })
}

const part = (page: Page, id: string) => page.locator(`[data-part="${id}"]`)
const onShelf = (page: Page, name: string) =>
  page
    .getByRole('list', { name: 'Sources' })
    .getByRole('button', { name: new RegExp(`^${name}`) })
    .first()
const facts = (page: Page) => page.getByRole('group', { name: 'Timeline facts' })

async function exportMix(page: Page) {
  await page.getByRole('button', { name: 'Export', exact: true }).click()
  const waiting = page.waitForEvent('download')
  await page.getByRole('button', { name: 'The mix' }).click()
  const file = await saved(await waiting)
  await page.keyboard.press('Escape')
  return file
}

/** Take everything off the timeline. */
async function clear(page: Page) {
  await page.keyboard.press('Control+a')
  await page.keyboard.press('Delete')
  await expect(page.getByText('Nothing lies here yet')).toBeVisible()
}

test('page and command write the same mix, byte for byte, from the same session', async ({ page }) => {
  await openTimeline(page)
  const file = await exportMix(page)
  expect(file.name).toBe('mix.wav')
  expect(file.depth).toBe('24')
  const waiting = page.waitForEvent('download')
  await page.keyboard.press('Control+s')
  const session = await (await waiting).path()
  const folder = mkdtempSync(join(tmpdir(), 'zumbet-e2e-'))
  try {
    const zip = join(folder, 'tide.zumbet')
    const out = join(folder, 'mix.wav')
    execFileSync('cp', [session, zip])
    execFileSync(process.execPath, ['bin/zumbet.mjs', 'mix', zip, out])
    const bytes = readFileSync(out)
    expect(bytes.length).toBe(file.bytes.length)
    expect(bytes.equals(file.bytes)).toBe(true)
    // and it is music: seven rows that are heard
    expect(readWav(bytes, 'mix.wav').audio.channels[0]?.some((value) => Math.abs(value) > 0.1)).toBe(true)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})

test('what goes out of the timeline is, sample for sample, the mix that is exported @listens', async ({ page }) => {
  await openSession(page)
  await page.getByLabel('Depth of the file').selectOption({ label: 'WAV 32 float' })
  await page.keyboard.press('t')
  await allReady(page)
  const mix = (await exportMix(page)).audio.channels[0] as Float32Array
  await page.keyboard.press('Home')
  await page.keyboard.press('Space')
  await listen(page, 4)
  await page.keyboard.press('Space')
  const { samples } = await heardSince(page, 0)
  const { same } = follow(samples, mix, 120_000)
  expect(same).toBe(120_000)
})

test('tempo, level, variant, place and length change while it plays, without a gap @listens', async ({ page }) => {
  await openTimeline(page)
  await page.keyboard.press('Space')
  await listen(page, 1)
  const { total } = await heardSince(page, 0)
  await part(page, 'flood-winch').click()
  for (const key of ['2', '3', '1']) {
    await page.keyboard.press(key)
    await listen(page, 0.4)
  }
  await page.keyboard.press('ArrowRight')
  await listen(page, 0.4)
  await page.keyboard.press('ArrowLeft')
  await type(page.getByRole('spinbutton', { name: 'Tempo', exact: true }), '118')
  await listen(page, 0.6)
  await page.getByRole('button', { name: 'Mute Harmonium' }).click()
  await listen(page, 0.5)
  await page.getByRole('button', { name: 'Mute Harmonium' }).click()
  await type(page.getByRole('spinbutton', { name: 'Level of Winches' }), '-9')
  await listen(page, 0.5)
  const { samples } = await heardSince(page, total)
  await page.keyboard.press('Space')
  // silence of its own comes from a machine that was too busy, and from nothing else
  if (silencesIn(samples).length > 0) expect((await output(page)).underruns).toBeGreaterThan(0)
  await expect(facts(page)).toContainText('118 BPM')
})

test('a section is gone to on its bar while it plays; it is shown, and can be let go @listens', async ({ page }) => {
  await openTimeline(page)
  await page.keyboard.press('Space')
  await listen(page, 0.5)
  await page.keyboard.press('n')
  await expect(page.getByTestId('queued')).toHaveText(/Ebb at bar 2/)
  await page.getByRole('button', { name: 'Ebb is next; let it go' }).click()
  await expect(page.getByTestId('queued')).toHaveCount(0)
  await page.getByRole('button', { name: 'Go to Ebb' }).click()
  await expect(page.getByTestId('bar')).toHaveText(/^1[1-3]\./, { timeout: 15_000 })
  await expect(page.getByTestId('queued')).toHaveCount(0)
  await page.keyboard.press('Space')
})

test('three loops of three tempos are laid into one groove, by keys alone and by dragging', async ({ page }) => {
  await openTimeline(page)
  await clear(page)
  for (const name of ['Rope winch', 'Capstan', 'Chain rattle']) {
    await onShelf(page, name).click()
    await page.keyboard.press('Home')
    await page.locator('h2').click()
    await page.keyboard.press('Enter')
  }
  await expect(page.locator('[data-part]')).toHaveCount(3)
  await allReady(page)
  await expect(page.getByRole('region', { name: 'Row Capstan' })).toBeVisible()
  // all three lie on the same beats now: their lengths are whole bars of one tempo
  const widths = await page
    .locator('[data-part]')
    .evaluateAll((all) => all.map((one) => one.getBoundingClientRect().width))
  expect(Math.abs((widths[0] as number) / (widths[1] as number) - 2)).toBeLessThan(0.05)
  await page.keyboard.press('Control+z')
  await expect(page.locator('[data-part]')).toHaveCount(2)
  // the same by the pointer, onto a row of its own
  await onShelf(page, 'Chain rattle').dragTo(page.getByTestId('new-row'), { targetPosition: { x: 120, y: 20 } })
  await expect(page.locator('[data-part]')).toHaveCount(3)
})

test('parts are moved, split, copied, stretched to a bar, repeated and taken away; each is one undo', async ({
  page,
}) => {
  await openTimeline(page)
  const bell = part(page, 'flood-bell')
  await bell.click()
  const before = await bell.boundingBox()
  await page.keyboard.press('Shift+ArrowRight')
  await expect.poll(async () => (await bell.boundingBox())?.x).toBeGreaterThan((before?.x ?? 0) + 20)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => Math.round((await bell.boundingBox())?.x ?? 0)).toBe(Math.round(before?.x ?? 0))

  // the playhead inside the winch, which falls in two
  const winch = part(page, 'flood-winch')
  await page.getByTestId('ruler').click({ position: { x: 200, y: 8 } })
  await winch.click({ position: { x: 60, y: 30 } })
  await page.keyboard.press('x')
  const winches = page.getByRole('region', { name: 'Row Winches' }).locator('[data-part]')
  await expect(winches).toHaveCount(2)
  await page.keyboard.press('c')
  await expect(winches).toHaveCount(3)
  await page.keyboard.press('Delete')
  await expect(winches).toHaveCount(2)
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  await expect(winches).toHaveCount(1)

  // the right edge: to a bar, stretched; then a longer one, repeated
  const gull = part(page, 'flood-gull')
  await gull.scrollIntoViewIfNeeded()
  const box = (await gull.boundingBox()) as NonNullable<Awaited<ReturnType<typeof gull.boundingBox>>>
  const drag = async (keys: string[], by: number) => {
    await page.mouse.move(box.x + box.width - 3, box.y + 30)
    await page.mouse.down()
    for (const key of keys) await page.keyboard.down(key)
    await page.mouse.move(box.x + box.width - 3 + by / 2, box.y + 30)
    await page.mouse.move(box.x + box.width - 3 + by, box.y + 30)
    await page.mouse.up()
    for (const key of keys) await page.keyboard.up(key)
  }
  await drag(['Alt'], 60)
  await expect(page.getByRole('spinbutton', { name: 'Stretch of the part' })).not.toHaveValue('1.00')
  await page.keyboard.press('Control+z')
  await expect(page.getByRole('spinbutton', { name: 'Stretch of the part' })).toHaveValue('1.00')
  await drag(['Shift'], 160)
  await expect(gull).toContainText(/[2-4] rounds/)
})

test('the tempo line is drawn, ramped, limited and flattened, and parts follow it', async ({ page }) => {
  await openTimeline(page)
  const length = () => facts(page).locator('span').nth(1).textContent()
  const before = await length()
  const point = page.getByRole('slider', { name: 'Tempo 1' })
  await point.focus()
  for (let n = 0; n < 4; n++) await page.keyboard.press('ArrowUp')
  await expect(point).toHaveAttribute('aria-valuenow', '108')
  await expect.poll(length).not.toBe(before)
  await page.keyboard.press('Control+z')
  await expect.poll(length).toBe(before)
  await page.getByRole('button', { name: 'Draw tempo' }).click()
  const curve = (await page.getByTestId('tempo-curve').boundingBox()) as { x: number; y: number }
  await page.mouse.move(curve.x + 100, curve.y + 60)
  await page.mouse.down()
  for (let n = 1; n <= 20; n++) await page.mouse.move(curve.x + 100 + 15 * n, curve.y + 60 - 2 * n)
  await page.mouse.up()
  await expect(page.getByRole('slider', { name: /^Tempo \d+$/ })).not.toHaveCount(3)
  await page.getByRole('button', { name: 'Draw tempo' }).click()
  await page.getByRole('button', { name: 'Tempo line' }).click()
  await page.getByRole('button', { name: 'One tempo' }).click()
  await expect(page.getByRole('slider', { name: /^Tempo \d+$/ })).toHaveCount(1)
  await page.keyboard.press('Escape')
  for (let n = 0; n < 2; n++) await page.keyboard.press('Control+z')
  await expect(page.getByRole('slider', { name: /^Tempo \d+$/ })).toHaveCount(3)
})

test('to the Bench and back keeps the place; what was laid is there after a reload', async ({ page }) => {
  await openTimeline(page)
  await page.getByTestId('ruler').click({ position: { x: 300, y: 8 } })
  const bar = await page.getByTestId('bar').textContent()
  await part(page, 'flood-capstan').click()
  await page.getByRole('button', { name: 'To the Bench' }).click()
  await expect(page.getByRole('main').getByRole('heading', { name: 'Capstan' })).toBeVisible()
  await page.keyboard.press('t')
  await expect(page.getByTestId('bar')).toHaveText(bar as string)
  await expect(part(page, 'flood-capstan')).toHaveAttribute('aria-pressed', 'true')
  await page.keyboard.press('Delete')
  await expect(part(page, 'flood-capstan')).toHaveCount(0)
  await written(page, 'flood-capstan', { gone: true })
  await page.reload()
  await expect(page.getByRole('heading', { name: 'Timeline' })).toBeVisible()
  await expect(part(page, 'flood-winch')).toBeVisible()
  await expect(part(page, 'flood-capstan')).toHaveCount(0)
})

test('a part fades, holds on to seconds or to bars, and runs in half time where that is nearer', async ({ page }) => {
  await openTimeline(page)
  const winch = part(page, 'flood-winch')
  await winch.click({ position: { x: 90, y: 30 } })
  const fadeIn = page.getByRole('spinbutton', { name: 'Fade in' })
  await expect(fadeIn).toHaveValue('0.00')
  const handle = (await winch.locator('[data-side="fadeIn"]').boundingBox()) as { x: number; y: number }
  await page.mouse.move(handle.x + 4, handle.y + 4)
  await page.mouse.down()
  await page.mouse.move(handle.x + 30, handle.y + 4)
  await page.mouse.move(handle.x + 64, handle.y + 4)
  await page.mouse.up()
  await expect(fadeIn).not.toHaveValue('0.00')
  await page.keyboard.press('Control+z')
  await expect(fadeIn).toHaveValue('0.00')

  const lock = page.getByRole('combobox', { name: 'Lock', exact: true })
  const label = () => winch.getAttribute('aria-label')
  const before = await label()
  await lock.selectOption('seconds')
  await expect(page.getByRole('spinbutton', { name: 'Stretch of the part' })).toBeVisible()
  await expect(winch).toContainText('seconds')
  await lock.selectOption('bars')
  await expect(winch).not.toContainText('seconds')
  await expect.poll(label).toBe(before)

  await page.getByRole('button', { name: 'Tempo line' }).click()
  await page.getByRole('button', { name: 'One tempo' }).click()
  await page.keyboard.press('Escape')
  await type(page.getByRole('spinbutton', { name: 'Tempo', exact: true }), '186')
  await part(page, 'flood-chain').click({ position: { x: 60, y: 30 } })
  await page.getByRole('button', { name: 'half time is nearer' }).click()
  await expect(page.getByTestId('strain')).toContainText('natural')
  await page.keyboard.press('Control+z')
  await expect(page.getByRole('button', { name: 'half time is nearer' })).toBeVisible()
})

test('several parts take one method and one pitch, the untuned are left out; a loop follows another', async ({
  page,
}) => {
  await openTimeline(page)
  const [winch, chord] = [part(page, 'flood-winch'), part(page, 'flood-chords')]
  await winch.click({ position: { x: 90, y: 30 } })
  await chord.click({ position: { x: 90, y: 30 }, modifiers: ['Shift'] })
  const panel = page.getByRole('region', { name: 'Chosen part' })
  await expect(panel).toContainText('2 parts')
  await page.getByRole('combobox', { name: 'Method of the chosen parts' }).selectOption('wsola')
  for (const own of [winch, chord]) await expect(own).toHaveAttribute('aria-label', /Waveform match/)
  await expect(panel).toContainText('1 untuned left out')
  await type(page.getByRole('spinbutton', { name: 'Pitch of the part' }), '-2')
  await page.keyboard.press('Escape')
  for (const [own, pitch] of [
    [winch, /^\D?0\.00$/],
    [chord, /^\D2\.00$/],
  ] as const) {
    await own.click({ position: { x: 90, y: 30 } })
    await expect(page.getByRole('spinbutton', { name: 'Pitch of the part' })).toHaveValue(pitch)
  }
  const other = part(page, 'flood-capstan')
  await winch.click({ position: { x: 90, y: 30 } })
  await other.click({ position: { x: 90, y: 30 }, modifiers: ['Shift'] })
  await page.getByRole('button', { name: 'Rope winch follows Capstan' }).click()
  const boxes = await Promise.all([winch.boundingBox(), other.boundingBox()])
  expect(boxes[0]?.x).toBeCloseTo(boxes[1]?.x as number, 0)
  expect(Math.abs((boxes[0]?.width ?? 0) - (boxes[1]?.width ?? 0))).toBeLessThan(3)
})

test('the whole set takes another tempo and key in one step, and what has no note keeps its pitch', async ({
  page,
}) => {
  await openTimeline(page)
  await page.getByRole('button', { name: 'Whole set' }).click()
  const pop = page.getByRole('dialog', { name: 'Whole set' })
  await type(pop.getByRole('spinbutton', { name: 'Tempo of the set' }), '110')
  await type(pop.getByRole('spinbutton', { name: 'Semitones for the set' }), '-2')
  await expect(pop.getByText(/their pitch stays: .*Rope winch/)).toBeVisible()
  await pop.getByRole('button', { name: 'Change the set' }).click()
  await page.keyboard.press('Escape')
  await expect(facts(page)).toContainText('110')
  const waiting = page.waitForEvent('download')
  await page.keyboard.press('Control+s')
  const bytes = readFileSync(await (await waiting).path())
  const session = JSON.parse(strFromU8(unzipSync(bytes)['session.json'] as Uint8Array))
  const moved = session.parts.filter((part: { semitones?: number }) => part.semitones !== undefined)
  expect(moved.length).toBeGreaterThan(0)
  expect(moved.every(({ source }: { source: string }) => source !== 'rope-winch')).toBe(true)
  expect(session.parts.some(({ source }: { source: string }) => source === 'rope-winch')).toBe(true)
  await page.keyboard.press('Control+z')
  await expect(facts(page)).not.toContainText('110')
})

test('a report tells of every part what is done to it, the worst first, with the mix to listen to', async ({
  page,
}) => {
  await openTimeline(page)
  // two parts are enough to be told apart
  await clear(page)
  for (const name of ['Chain rattle', 'Gull']) {
    await onShelf(page, name).click()
    await page.locator('h2').click()
    await page.keyboard.press('Enter')
  }
  await expect(page.locator('[data-part]')).toHaveCount(2)
  await allReady(page)
  await page.getByRole('button', { name: 'Export', exact: true }).click()
  const waiting = page.waitForEvent('download')
  await page.getByRole('button', { name: 'A report of all parts' }).click()
  const download = await waiting
  expect(download.suggestedFilename()).toBe('timeline_report.html')
  const html = readFileSync(await download.path(), 'utf8')
  for (const name of ['Chain rattle', 'Gull']) expect(html).toContain(name)
  expect(html).toMatch(/2 parts, .* LUFS/)
  expect(html).not.toContain('Not measured')
  const mp3 = Buffer.from(/src="data:audio\/mpeg;base64,([^"]+)"/.exec(html)?.[1] ?? '', 'base64')
  const { audio } = await decodeFile(mp3, 'mix.mp3')
  expect(audio.channels[0]?.some((value) => Math.abs(value) > 0.1)).toBe(true)
})
