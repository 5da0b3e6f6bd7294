import { brokenFile, wholeFiles } from '../../src/cli/fuzz/corpus'
import { expect, openSession, test } from '../bench'

/** Broken files of every kind through the page itself, those that only a browser decodes among them. */

const FILES = Number(process.env.ENDURE_FILES ?? 600)
const AT_ONCE = 12

test(`${FILES} broken files are brought in: each is told of in words or is there`, async ({ page }) => {
  const whole = wholeFiles('e2e/fixtures')
  const m4a = whole.filter(({ kind }) => kind === 'M4A')
  await openSession(page)
  const list = page.getByRole('list', { name: 'Sources' })
  const counts = { came: 0, refused: 0 }
  for (let n = 0; n < FILES; n += AT_ONCE) {
    const files = Array.from({ length: AT_ONCE }, (_, k) => {
      // half of them what no other test reads
      const { file, bytes } = brokenFile((n + k) % 2 === 0 ? m4a : whole, 50_000 + n + k)
      return { name: `${n + k} ${file}`, mimeType: 'application/octet-stream', buffer: Buffer.from(bytes) }
    })
    const before = await list.locator('[data-source]').count()
    await page.getByLabel('Sound files').setInputFiles(files)
    await expect(page.getByText(/^(Reading|Waiting:) /)).toHaveCount(0, { timeout: 120_000 })
    const came = (await list.locator('[data-source]').count()) - before
    const told = (await page.getByRole('region', { name: 'Notices' }).textContent()) ?? ''
    expect(told).not.toMatch(/Something went wrong|undefined|typed array|out of bounds|NaN|RangeError/)
    counts.came += came
    counts.refused += AT_ONCE - came
    await page.reload()
    await expect(list.locator('[data-source]').first()).toBeVisible()
  }
  console.log(`${FILES} broken files: ${counts.came} came in, ${counts.refused} were refused`)
  expect(counts.refused).toBeGreaterThan(FILES / 3)
})
