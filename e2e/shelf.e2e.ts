import { readFileSync } from 'node:fs'
import { writeWav } from '../src/core'
import { noise, sine } from '../src/core/testing/signals'
import { choose, drawn, expect, exportNow, openSession, test, type } from './bench'

const rows = (page: import('@playwright/test').Page) =>
  page.getByRole('list', { name: 'Sources' }).getByRole('listitem')
const trouble = (page: import('@playwright/test').Page) =>
  page.getByRole('region', { name: /Notice/ }).getByRole('listitem')

test('files of every kind come in through the picker, at their own rate', async ({ page }) => {
  await openSession(page)
  const endings = ['flac', 'mp3', 'ogg', 'opus', 'm4a', 'aiff']
  await page.getByLabel('Sound files').setInputFiles(endings.map((ending) => `e2e/fixtures/gull.${ending}`))
  await expect(rows(page)).toHaveCount(11 + endings.length)
  for (const [kind, rate] of [
    ['FLAC 16-bit', '44.1 kHz'],
    ['MP3', '44.1 kHz'],
    ['Ogg Vorbis', '44.1 kHz'],
    ['Ogg Opus', '48 kHz'],
    ['M4A', '44.1 kHz'],
    ['AIFF 16-bit', '44.1 kHz'],
  ] as const) {
    let found = false
    for (let n = 11; n < 17 && !found; n++) {
      await rows(page).nth(n).getByRole('button').first().click()
      const facts = page.getByRole('group', { name: 'Source facts' })
      await expect(facts).toBeVisible()
      const text = (await facts.getByText(/./).allTextContents()).join('\n')
      found = text.split('\n').includes(kind) && text.includes(rate)
    }
    expect(found, kind).toBe(true)
  }
  await drawn(page)
})

test('files dropped on the window come in; bad ones are named with what to do, and nothing is lost', async ({
  page,
}) => {
  await openSession(page)
  const good = {
    name: 'winch take 2.wav',
    mimeType: 'audio/wav',
    buffer: Buffer.from(writeWav(noise({ seconds: 0.5, seed: 5, channels: 2 }), { format: '16' })),
  }
  const cut = { name: 'cut.wav', mimeType: 'audio/wav', buffer: good.buffer.subarray(0, 20_000) }
  const empty = { name: 'empty.wav', mimeType: 'audio/wav', buffer: Buffer.alloc(0) }
  const letter = {
    name: 'letter.txt',
    mimeType: 'text/plain',
    buffer: Buffer.from('Dear museum, the tide was low today'),
  }
  const flac = { name: 'really-flac.wav', mimeType: 'audio/wav', buffer: readFileSync('e2e/fixtures/gull.flac') }
  await page.locator('body').drop({ files: [cut, good, empty, letter, flac] })
  await expect(rows(page)).toHaveCount(12)
  for (const [file, remedy] of [
    ['cut.wav', 'Copy or download it again'],
    ['empty.wav', 'pick another file'],
    ['letter.txt', 'Bring in WAV, AIFF, CAF, FLAC, MP3, Ogg or M4A'],
    ['really-flac.wav', 'Rename it to end in .flac'],
  ] as const) {
    await expect(trouble(page).filter({ hasText: file })).toContainText(remedy)
  }
  await expect(page.getByRole('main').getByRole('heading', { name: 'winch take 2' })).toBeVisible()
  await drawn(page)
  expect((await exportNow(page, 'A')).audio.channels[0]).toHaveLength(24_000)
})

test('sources are renamed and removed, and a removal is taken back with everything on it', async ({ page }) => {
  await openSession(page, 'Gull')
  await type(page.getByRole('spinbutton', { name: 'Semitones' }), '7')
  const row = rows(page).filter({ hasText: 'Gull' })
  await row.getByRole('button').first().dblclick()
  const name = page.getByRole('textbox', { name: 'New name for Gull' })
  await name.fill('Gull over the pier 3')
  await name.press('Enter')
  await expect(page.getByRole('main').getByRole('heading', { name: 'Gull over the pier 3' })).toBeVisible()
  await page.getByRole('button', { name: 'Gull over the pier 3 0' }).focus()
  await page.keyboard.press('Delete')
  await expect(rows(page)).toHaveCount(10)
  await expect(page.getByRole('main').getByRole('heading', { name: 'Capstan' })).toBeVisible()
  await page
    .getByRole('region', { name: /Notice/ })
    .getByRole('button', { name: 'Undo' })
    .click()
  await expect(rows(page)).toHaveCount(11)
  await choose(page, 'Gull over the pier 3')
  await expect(page.getByRole('spinbutton', { name: 'Semitones' })).toHaveAttribute('aria-valuenow', '7')
})

test('an empty shelf says what to do next', async ({ page }) => {
  await openSession(page)
  for (let n = 11; n > 0; n--) {
    await rows(page).first().getByRole('button').first().focus()
    await page.keyboard.press('Delete')
    await expect(rows(page)).toHaveCount(n === 1 ? 1 : n - 1)
  }
  await expect(page.getByText('The shelf is empty')).toBeVisible()
  await expect(page.getByText('Nothing on the bench')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Play' })).toBeDisabled()
})

test('eight channels and odd rates come in, play and go out', async ({ page }) => {
  await openSession(page)
  const eight = writeWav(sine({ hz: 300, seconds: 1, sampleRate: 32_000, channels: 8 }), { format: '24' })
  await page
    .getByLabel('Sound files')
    .setInputFiles([{ name: 'eight.wav', mimeType: 'audio/wav', buffer: Buffer.from(eight) }])
  await choose(page, 'eight')
  await expect(page.getByRole('group', { name: 'Source facts' })).toContainText('8 channels')
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '1.5')
  await drawn(page)
  await page.keyboard.press('Space')
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible()
  await page.keyboard.press('Space')
  const { audio } = await exportNow(page, 'A', 'WAV 24 bit')
  expect(audio.channels).toHaveLength(8)
  expect(audio.sampleRate).toBe(32_000)
  expect(audio.channels[7]).toHaveLength(48_000)
})
