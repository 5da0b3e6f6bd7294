import { expect, exportNow, openSession, pickMethod, test, type } from './bench'

const number = (page: import('@playwright/test').Page, name: string) =>
  page.getByRole('spinbutton', { name, exact: true })
const at = async (page: import('@playwright/test').Page, name: string) =>
  Number(await number(page, name).getAttribute('aria-valuenow'))

test("the guide's line is made to fill six seconds, to the sample", async ({ page }) => {
  await openSession(page, "Guide's line")
  await type(number(page, 'Length in seconds'), '6 s')
  await expect(page.getByRole('button', { name: 'Hear variant A' })).toContainText('288 000 samples')
  const file = await exportNow(page, 'A')
  expect(file.audio.channels[0]).toHaveLength(288_000)
})

test('one length in every unit: whichever is typed, all others follow', async ({ page }) => {
  await openSession(page)
  const readings = async () => ({
    stretch: await at(page, 'Stretch'),
    percent: await at(page, 'Length in per cent'),
    seconds: await at(page, 'Length in seconds'),
    bpm: await at(page, 'Tempo of the result'),
  })
  const means = (stretch: number) => ({ stretch, percent: stretch * 100, seconds: stretch * 10, bpm: 96 / stretch })
  for (const [name, text, stretch] of [
    ['Length in per cent', '80', 0.8],
    ['Length in seconds', '15', 1.5],
    ['Tempo of the result', '120', 0.8],
    ['Stretch', '4/3', 4 / 3],
    ['Stretch', '2,5', 2.5],
  ] as const) {
    await type(number(page, name), text)
    const got = await readings()
    const wanted = means(stretch)
    for (const unit of ['stretch', 'percent', 'seconds', 'bpm'] as const) expect(got[unit]).toBeCloseTo(wanted[unit], 3)
  }
  await type(number(page, 'Tempo of the source'), '112')
  expect(await at(page, 'Tempo of the result')).toBeCloseTo(44.8, 6)
  expect(await at(page, 'Stretch')).toBe(2.5)
})

test('without a known tempo there is none to aim at until it is typed', async ({ page }) => {
  await openSession(page, 'Rain on tin')
  await expect(number(page, 'Tempo of the result')).toHaveCount(0)
  await type(number(page, 'Tempo of the source'), '89')
  await type(number(page, 'Tempo of the result'), '178')
  expect(await at(page, 'Stretch')).toBeCloseTo(0.5, 9)
})

test('arrow keys, dragging and a double click work on a number, each one step of undo', async ({ page }) => {
  await openSession(page)
  const field = number(page, 'Semitones')
  await field.focus()
  // keys in a row are one step: how busy the machine is must not tear them apart
  await page.evaluate(() => {
    const now = performance.now() + 10_000
    performance.now = () => now
  })
  for (let n = 0; n < 4; n++) await page.keyboard.press('ArrowUp')
  expect(await at(page, 'Semitones')).toBe(4)
  await page.keyboard.press('Shift+ArrowDown')
  expect(await at(page, 'Semitones')).toBe(-6)
  await page.evaluate(() => Reflect.deleteProperty(performance, 'now'))
  await page.keyboard.press('Enter')
  await page.keyboard.press('Control+z')
  expect(await at(page, 'Semitones')).toBe(0)
  await page.keyboard.press('Control+Shift+z')
  expect(await at(page, 'Semitones')).toBe(-6)

  const box = (await number(page, 'Length in per cent').boundingBox()) as {
    x: number
    y: number
    width: number
    height: number
  }
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2]
  await page.mouse.move(x, y)
  await page.mouse.down()
  for (let n = 1; n <= 20; n++) await page.mouse.move(x + 4 * n, y)
  await page.mouse.up()
  expect(await at(page, 'Length in per cent')).toBeCloseTo(145, 6)
  await page.keyboard.press('Control+z')
  expect(await at(page, 'Length in per cent')).toBeCloseTo(125, 6)

  await number(page, 'Stretch').dblclick()
  expect(await at(page, 'Stretch')).toBe(1)
  await expect(page.getByRole('button', { name: 'Hear variant B' })).toContainText('480 000 samples')
})

test('what makes no sense is marked and changes nothing', async ({ page }) => {
  await openSession(page)
  const field = number(page, 'Stretch')
  await field.click()
  await field.fill('long')
  await expect(field).toHaveAttribute('aria-invalid', 'true')
  await field.press('Escape')
  expect(await at(page, 'Stretch')).toBe(1.25)
  // what is refused is refused, and the field says what it takes
  await type(field, '5000')
  expect(await at(page, 'Stretch')).toBe(1.25)
  await expect(page.getByRole('alert')).toContainText('Stretch goes from')
  await type(field, '12 q')
  await expect(page.getByRole('alert')).toContainText('“12 q” is no stretch')
  await expect(page.getByRole('alert')).toContainText('+5 %')
  expect(await at(page, 'Stretch')).toBe(1.25)
  await type(field, '1000')
  await expect(page.getByText('drawn on demand').first()).toBeVisible()
})

test('a length and a pitch are typed as people write them, in any of their fields', async ({ page }) => {
  await openSession(page)
  for (const [name, text, stretch] of [
    ['Stretch', '0:08', 0.8],
    ['Stretch', '+5 %', 0.84],
    ['Length in seconds', '480000 samples', 1],
    ['Length in per cent', '4 bars', 1],
    ['Stretch', '120 BPM', 0.8],
    ['Tempo of the result', '125 %', 1.25],
  ] as const) {
    await type(number(page, name), text)
    expect(await at(page, 'Stretch'), text).toBeCloseTo(stretch, 3)
  }
  await type(number(page, 'Semitones'), '+150 cents')
  expect([await at(page, 'Semitones'), await at(page, 'Cents')]).toEqual([2, -50])
  // a step back says which it was
  await page.keyboard.press('Control+z')
  await expect(page.getByRole('region', { name: 'Notices' }).getByText('Undone: Target, Rope winch')).toBeVisible()
})

test('variants are added, copied, given another method and other settings, and removed again', async ({ page }) => {
  await openSession(page)
  await pickMethod(page, 'Add a variant', 'Varispeed')
  await expect(page.getByRole('button', { name: 'Hear variant D, Varispeed' })).toHaveAttribute('aria-pressed', 'true')
  await expect(page.getByText('the target comes to −3.86 st')).toBeVisible()
  await page.getByRole('button', { name: 'Copy' }).click()
  await pickMethod(page, 'Method of variant E', 'Grain cloud')
  await type(number(page, 'Grain'), '200')
  await page.getByLabel('Shape').selectOption({ label: 'Fall' })
  await expect(page.getByRole('button', { name: 'Hear variant E, Grain cloud' })).toBeVisible()
  await page.keyboard.press('1')
  await page.getByRole('button', { name: 'Remove', exact: true }).click()
  await expect(page.getByRole('button', { name: 'Hear variant A' })).toHaveCount(0)
  await page.getByRole('button', { name: 'Undo', exact: true }).last().click()
  await expect(page.getByRole('button', { name: 'Hear variant A, Attack splice' })).toBeVisible()
  await page.keyboard.press('5')
  expect(await at(page, 'Grain')).toBe(200)
})
