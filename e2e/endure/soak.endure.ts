import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { output } from '../bench'
import { writeStems } from './stems'

/**
 * Sixteen stereo stems of four minutes play together while the tempo turns, variants are switched and sections
 * are jumped to.
 * `npm run soak`; SOAK_MINUTES, SOAK_STEMS and SOAK_SECONDS make it shorter.
 */

const MINUTES = Number(process.env.SOAK_MINUTES ?? 10)
const STEMS = Number(process.env.SOAK_STEMS ?? 16)
const SECONDS = Number(process.env.SOAK_SECONDS ?? 240)

/** What processes of the browser that run scripts hold, MB. */
function residentMb(): number {
  let kb = 0
  for (const pid of readdirSync('/proc').filter((name) => /^\d+$/.test(name))) {
    try {
      const words = readFileSync(`/proc/${pid}/cmdline`, 'utf8')
      if (!words.includes('--type=renderer')) continue
      const status = readFileSync(`/proc/${pid}/status`, 'utf8')
      kb += Number(/^RssAnon:\s+(\d+)/m.exec(status)?.[1] ?? 0) + Number(/^RssShmem:\s+(\d+)/m.exec(status)?.[1] ?? 0)
    } catch {
      // it ended meanwhile
    }
  }
  return kb / 1024
}

/** Count frames and long tasks of the page from now on. */
async function watch(page: Page) {
  await page.evaluate(() => {
    const seen = { frames: 0, from: performance.now(), longest: 0, long: 0 }
    Object.assign(globalThis, { seen })
    new PerformanceObserver((list) => {
      for (const { duration } of list.getEntries()) {
        seen.long++
        seen.longest = Math.max(seen.longest, duration)
      }
    }).observe({ type: 'longtask' })
    const count = () => {
      seen.frames++
      requestAnimationFrame(count)
    }
    requestAnimationFrame(count)
  })
}

const seen = (page: Page) =>
  page.evaluate(() => {
    const { seen: own } = globalThis as unknown as {
      seen: { frames: number; from: number; longest: number; long: number }
    }
    return { fps: (1000 * own.frames) / (performance.now() - own.from), longest: own.longest, long: own.long }
  })

test('many long stems play while everything turns', async ({ page }) => {
  const folder = mkdtempSync(join(tmpdir(), 'zumbet-soak-'))
  try {
    // one that was written before may be given: it takes a while to make
    const file = process.env.SOAK_FILE ?? join(folder, 'evening.zumbet')
    if (!process.env.SOAK_FILE) await writeStems(file, STEMS, SECONDS)
    await page.goto('/')
    await expect(page.getByRole('heading', { name: 'Rope winch' })).toBeVisible()
    const begun = Date.now()
    await page.locator('#session-file').setInputFiles(file)
    await page.getByRole('button', { name: 'Replace all' }).click()
    await expect(page.getByRole('heading', { name: 'rope-winch 1' })).toBeVisible({ timeout: 300_000 })
    const openedMs = Date.now() - begun
    await page.keyboard.press('t')
    await expect(page.locator('[data-part]')).not.toHaveCount(0)
    await page.keyboard.press('Space')
    await expect(page.getByTestId('bar')).not.toHaveText('1.1', { timeout: 120_000 })
    const playableMs = Date.now() - begun - openedMs
    await expect(page.getByText(/parts can be heard/)).toHaveCount(0, { timeout: 300_000 })
    const readyMs = Date.now() - begun
    console.log(
      `    opened in ${openedMs} ms, plays ${playableMs} ms later, all heard after ${readyMs} ms, ${residentMb().toFixed(0)} MB`,
    )
    await page.keyboard.press('Home')
    await watch(page)
    const before = (await output(page)).underruns
    const point = page.getByRole('slider', { name: 'Tempo 1' })
    const rounds = Math.round((MINUTES * 60) / 2)
    let most = 0
    const start = Date.now()
    for (let n = 0; n < rounds; n++) {
      // what has come to its end begins again
      if ((await page.getByRole('button', { name: 'Play', exact: true }).count()) > 0) {
        await page.keyboard.press('Home')
        await page.keyboard.press('Space')
      }
      await point.focus()
      await page.keyboard.press(n % 8 < 4 ? 'ArrowUp' : 'ArrowDown')
      await page.keyboard.press('Escape')
      if (n % 5 === 2) {
        const parts = page.locator('[data-part]')
        await parts.nth(n % Math.max(1, await parts.count())).focus()
        await page.keyboard.press(String(1 + (n % 3)))
        await page.keyboard.press('Escape')
      }
      if (n % 10 === 5) await page.keyboard.press(n % 60 < 30 ? 'n' : 'Shift+n')
      if (n % 30 === 0) most = Math.max(most, residentMb())
      if (n % 60 === 59) {
        const { underruns } = await output(page)
        console.log(
          `    ${((Date.now() - start) / 60_000).toFixed(1)} min: ${underruns - before} underruns, ${JSON.stringify(await seen(page))}`,
        )
      }
      await page.waitForTimeout(Math.max(0, start + 2000 * (n + 1) - Date.now()))
    }
    const { underruns } = await output(page)
    const { fps, longest, long } = await seen(page)
    console.log(
      `    soak: ${STEMS} stems of ${SECONDS} s, ${MINUTES} min: ${underruns - before} underruns, ${fps.toFixed(0)} frames a second, ${long} tasks over 50 ms (longest ${longest.toFixed(0)} ms), ${most.toFixed(0)} MB`,
    )
    expect(underruns - before).toBe(0)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})
