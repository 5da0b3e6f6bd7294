import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { expect, exportNow, listen, openBench, openSession, test, type } from './bench'

/** Wait until every variant of the bench is measured. */
async function measured(page: Page) {
  await page.getByRole('tab', { name: 'Scorecard' }).click()
  const table = page.getByRole('table', { name: 'Scorecard' })
  await expect(table.getByRole('cell', { name: /measuring|waiting/ })).toHaveCount(0, { timeout: 90_000 })
  return table
}

const lane = (page: Page, name: string) => page.getByRole('button', { name: new RegExp(`^Hear variant ${name}`) })

test('a hunt: three methods at 0.8 ×, find the worst place, loop it lane by lane, compare blind, pick, tweak, export', {
  tag: '@listens',
}, async ({ page }) => {
  test.setTimeout(180_000)
  await openBench(page)
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '0.8')
  const table = await measured(page)

  // the scorecard tells which one harms the hits, in figures
  const figure = async (letter: string, kind: string) => {
    const button = table.getByRole('button', { name: new RegExp(`^${kind} of variant ${letter}`) })
    const [, value] = /: ([\d.]+)/.exec((await button.getAttribute('aria-label')) ?? '') ?? []
    return Number(value)
  }
  expect(await figure('C', 'Smear')).toBeGreaterThan(3)
  expect(await figure('A', 'Smear')).toBeLessThan(1)
  expect(await figure('A', 'Lost attacks')).toBe(0)
  await table.getByRole('button', { name: 'Smear dB' }).click()
  await expect(table.getByRole('row').nth(1)).toContainText('Grain cloud')

  // one click away: what it means, and where; then that place is looped through all lanes in turn
  await table.getByRole('button', { name: /^Smear of variant C/ }).click()
  await expect(page.getByText(/van Heuven/)).toBeVisible()
  await page.getByRole('button', { name: /^Hear it at/ }).click()
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible()
  await expect(page.getByRole('button', { name: 'In turn' })).toHaveAttribute('aria-pressed', 'true')
  await expect(page.getByRole('spinbutton', { name: 'Loop start' })).toBeVisible()
  await expect(lane(page, 'C')).toHaveAttribute('aria-pressed', 'true')
  // after C comes the reference again, then A: the samples that go out go on without a gap
  await expect(page.getByRole('button', { name: 'Hear the reference' })).toHaveAttribute('aria-pressed', 'true')
  await expect(lane(page, 'A')).toHaveAttribute('aria-pressed', 'true')
  const samples = await listen(page, 1)
  expect(samples.some((value) => value !== 0)).toBe(true)
  await page.keyboard.press('i')
  await expect(page.getByRole('button', { name: 'In turn' })).toHaveAttribute('aria-pressed', 'false')

  // the next place by key moves the loop
  const loopStart = page.getByRole('spinbutton', { name: 'Loop start' })
  await page.keyboard.press('3')
  const before = await loopStart.inputValue()
  await page.keyboard.press('Shift+N')
  await expect(loopStart).not.toHaveValue(before)
  await page.keyboard.press('i')

  // without names: A against C, two rounds would do, six is the least
  await page.getByRole('tab', { name: 'Listen blind' }).click()
  await page.getByLabel('Rounds').selectOption('6')
  await page.getByRole('checkbox', { name: /Locked vocoder/ }).uncheck()
  await page.getByRole('checkbox', { name: /Grain cloud/ }).check()
  await page.getByRole('button', { name: 'Hide names and start' }).click()
  await expect(page.getByText('Names are hidden')).toBeVisible()
  await expect(page.getByRole('group', { name: 'Heard lane' })).toHaveCount(0)
  await expect(page.getByRole('tab', { name: 'Scorecard' })).toBeDisabled()
  for (let round = 1; round <= 6; round++) {
    await expect(page.getByText(`Round ${round} of 6`)).toBeVisible()
    await page.keyboard.press('2')
    await expect(page.getByRole('button', { name: 'Hear 2' })).toHaveAttribute('aria-pressed', 'true')
    await page.getByRole('button', { name: '1 is better' }).click()
  }
  const results = page.getByRole('list', { name: 'Blind results' })
  await expect(results).toContainText(/AB: .* preferred \d of 6 over .*; p = \d\.\d{3}/)

  // pick A, tweak it, take it away: the file is what the core renders
  await page.keyboard.press('1')
  await page.getByRole('tab', { name: 'Settings' }).click()
  await type(page.getByRole('spinbutton', { name: 'Cut fade' }), '20')
  const { audio } = await exportNow(page, 'A', 'WAV 32 float')
  expect(audio.channels[0]?.length).toBe(384_000)

  // what was compared is kept
  await page.reload()
  await page.getByRole('tab', { name: 'Listen blind' }).click()
  await expect(page.getByRole('list', { name: 'Blind results' })).toContainText('AB:')
})

test('advice tries every method, says why in figures, applies nothing by itself, and one click makes it a variant', async ({
  page,
}) => {
  test.setTimeout(180_000)
  await openSession(page, 'Chain rattle')
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '1.25')
  await page.getByRole('tab', { name: 'Advice' }).click()
  await page.getByRole('button', { name: 'Measure all methods' }).click()
  const list = page.getByRole('list', { name: 'Methods by harm' })
  await expect(list.getByRole('listitem')).toHaveCount(7, { timeout: 120_000 })
  await expect(list.getByRole('listitem').first()).toContainText(/\d+ of \d+ attacks tried, none repeated/)
  await expect(list.getByRole('listitem').last()).toContainText('Spectral drift')
  await expect(page.getByRole('button', { name: /^Hear variant/ })).toHaveCount(3)
  await page.getByRole('button', { name: 'Make Attack splice a variant' }).click()
  await expect(lane(page, 'D, Attack splice')).toHaveAttribute('aria-pressed', 'true')
  await page.keyboard.press('Control+z')
  await expect(page.getByRole('button', { name: /^Hear variant/ })).toHaveCount(3)
  // another target is another question
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '3')
  await expect(page.getByText(/target has changed/)).toBeVisible()
  const axe = await new AxeBuilder({ page }).analyze()
  expect(axe.violations.map(({ id, nodes }) => `${id}: ${nodes[0]?.html}`)).toEqual([])
})
