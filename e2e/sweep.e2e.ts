import { readFile } from 'node:fs/promises'
import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { CALL, expect, listen, openCall, test } from './bench'

/** Only these methods are swept. */
async function sweepOnly(page: Page, names: readonly string[]) {
  const boxes = page.getByRole('group', { name: 'Methods swept' }).getByRole('checkbox')
  for (const box of await boxes.all()) {
    const label = (await box.locator('..').textContent()) ?? ''
    await box.setChecked(names.includes(label.trim()))
  }
}

const points = (page: Page) => page.getByRole('group', { name: 'Measured points' }).getByRole('button')

async function download(page: Page, button: string) {
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: button }).click()])
  return { name: file.suggestedFilename(), bytes: await readFile(await file.path()) }
}

test('a sweep is stopped, gone on with after a reload, walked by keys, heard, exported, and taken to the bench', async ({
  page,
}) => {
  test.setTimeout(150_000)
  await openCall(page)
  await page.getByRole('button', { name: 'Sweep' }).click()
  await expect(page.getByText('Nothing is measured here yet')).toBeVisible()
  await page.getByRole('button', { name: '±24 st' }).click()
  await sweepOnly(page, ['Attack splice', 'Pitch cycle'])
  await page.getByRole('button', { name: 'Measure' }).click()
  await expect(points(page).nth(3)).toBeAttached()

  // stopped by hand it stays stopped, with what was measured
  await page.getByRole('button', { name: 'Cancel the sweep' }).click()
  await expect(page.getByRole('button', { name: 'Measure the rest' })).toBeEnabled()
  const kept = await points(page).count()
  expect(kept).toBeGreaterThan(3)
  expect(kept).toBeLessThan(40)

  // a sweep that was going on goes on by itself when the page is opened again
  await page.getByRole('button', { name: 'Measure the rest' }).click()
  await expect(page.getByRole('progressbar', { name: 'Sweep progress' })).toBeVisible()
  await page.reload()
  await expect(page.getByRole('progressbar', { name: 'Sweep progress' })).toBeVisible()
  await expect(page.getByText('40 points')).toBeVisible({ timeout: 90_000 })
  await expect(points(page)).toHaveCount(40)

  // from cell to cell by keys; Enter lets it be heard
  await points(page).first().focus()
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('ArrowRight')
  await expect(page.getByRole('button', { name: /^Pitch cycle at −19 st/ })).toBeFocused()
  await page.keyboard.press('ArrowUp')
  await expect(page.getByRole('button', { name: /^Attack splice at −19 st/ })).toBeFocused()
  await page.keyboard.press('Enter')
  const panel = page.getByRole('region', { name: 'Point' })
  await expect(panel).toContainText('Attack splice · −19 st')
  await expect(page.getByRole('button', { name: 'Stop' }).first()).toBeVisible()
  const samples = await listen(page, 1)
  expect(samples.some((value) => Math.abs(value) > 0.01)).toBe(true)
  await panel.getByRole('button', { name: 'Stop' }).click()

  // the same figures in every file
  const csv = await download(page, 'CSV')
  expect(csv.name).toBe('gull_sweep-pitch.csv')
  const lines = csv.bytes.toString().trimEnd().split('\r\n')
  expect(lines[0]).toBe('semitones,method,artefact,value,unit,audible from,grade')
  const json = JSON.parse((await download(page, 'JSON')).bytes.toString())
  expect(json.points).toHaveLength(40)
  expect(json.breaks.map((row: { methodId: string }) => row.methodId).sort()).toEqual(['cycle', 'splice'])
  const level = json.points[0].artefacts.find((artefact: { id: string }) => artefact.id === 'level')
  expect(lines).toContain(`-24,${json.points[0].methodId},level,${level.value},LU,1,${level.grade}`)
  const png = await download(page, 'PNG')
  expect([...png.bytes.subarray(0, 4)]).toEqual([0x89, 0x50, 0x4e, 0x47])
  expect(png.bytes.length).toBeGreaterThan(20_000)

  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([])

  // to the bench in one step of undo
  await panel.getByRole('button', { name: 'To the bench' }).click()
  await expect(page.getByRole('spinbutton', { name: 'Semitones' })).toHaveValue('−19')
  await expect(page.getByRole('button', { name: /^Hear variant \w, Attack splice/ })).toHaveAttribute(
    'aria-pressed',
    'true',
  )
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByRole('spinbutton', { name: 'Semitones' })).toHaveValue('0')
  await expect(page.getByRole('button', { name: /Attack splice/ })).toHaveCount(0)
})

test('a setting is explored, spectrograms and differences are drawn, and a report is written', async ({ page }) => {
  test.setTimeout(150_000)
  await openCall(page)
  await page.getByRole('tab', { name: 'Explore a setting' }).click()
  await expect(page.getByText('no setting does anything yet')).toBeVisible()
  await page.getByRole('spinbutton', { name: 'Stretch' }).fill('1.4')
  await page.keyboard.press('Enter')

  await page.getByRole('button', { name: 'Hear variant C, Grain cloud' }).click()
  await page.getByLabel('Setting to explore').selectOption({ index: 0 })
  await page.getByRole('button', { name: 'Try its range' }).click()
  const cards = page.getByRole('list', { name: /over its range/ }).getByRole('listitem')
  await expect(cards).toHaveCount(7)
  await expect(page.getByRole('progressbar', { name: 'Exploring progress' })).toHaveCount(0, { timeout: 60_000 })
  const take = cards.last().getByRole('button', { name: /^Take/ })
  await cards.last().getByRole('button', { name: /^Hear/ }).click()
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible()
  expect((await listen(page, 1)).some((value) => Math.abs(value) > 0.01)).toBe(true)
  await page.keyboard.press('Space')
  const value = /Take (.*) ms/.exec((await take.getAttribute('aria-label')) ?? '')?.[1]
  await take.click()
  await page.getByRole('tab', { name: 'Settings' }).click()
  await expect(page.getByRole('spinbutton', { name: 'Grain' })).toHaveValue(value as string)

  // spectrograms: drawn, and drawn as something else when told apart from the reference
  const picture = (name: string) =>
    page.getByRole('img', { name }).evaluate((canvas: HTMLCanvasElement) => {
      const { data } = (canvas.getContext('2d') as CanvasRenderingContext2D).getImageData(
        0,
        0,
        canvas.width,
        canvas.height,
      )
      const seen = new Set<number>()
      for (let i = 0; i < data.length; i += 4)
        seen.add(((data[i] as number) << 16) | ((data[i + 1] as number) << 8) | (data[i + 2] as number))
      return seen.size
    })
  await page.keyboard.press('s')
  await expect.poll(() => picture('Spectrogram of the reference')).toBeGreaterThan(60)
  await expect.poll(() => picture('Spectrogram of variant A')).toBeGreaterThan(60)
  await page.keyboard.press('d')
  await expect.poll(() => picture('Difference of variant A')).toBeGreaterThan(20)
  await page.keyboard.press('s')
  await expect(page.getByRole('img', { name: 'Waveform of variant A' })).toBeVisible()

  // the report stands alone: every variant with its clip, and nothing is asked from anywhere
  await page.getByRole('tab', { name: 'Scorecard' }).click()
  const table = page.getByRole('table', { name: 'Scorecard' })
  await expect(table.getByRole('cell', { name: /measuring|waiting/ })).toHaveCount(0, { timeout: 60_000 })
  const report = await download(page, 'Report')
  expect(report.name).toBe('gull_comparison.html')
  const asked: string[] = []
  const alone = await page.context().newPage()
  alone.on('request', (request) => {
    if (!/^(data|about):/.test(request.url())) asked.push(request.url())
  })
  await alone.setContent(report.bytes.toString())
  await expect(alone.getByRole('heading', { name: 'gull' })).toBeVisible()
  const clips = alone.locator('audio')
  await expect(clips).toHaveCount(4)
  const seconds = await clips.nth(1).evaluate(
    (clip: HTMLAudioElement) =>
      new Promise<number>((resolve, reject) => {
        clip.onloadedmetadata = () => resolve(clip.duration)
        clip.onerror = () => reject(new Error('the clip cannot be read'))
        clip.load()
        clip.preload = 'metadata'
      }),
  )
  expect(seconds).toBeCloseTo(CALL.seconds * 1.4, 1)
  expect(asked).toEqual([])
  expect((await new AxeBuilder({ page: alone }).analyze()).violations).toEqual([])
})
