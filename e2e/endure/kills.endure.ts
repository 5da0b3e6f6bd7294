import { type ChildProcess, spawn } from 'node:child_process'
import { existsSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { chromium, expect, type Page, test } from '@playwright/test'
import { createRandom } from '../../src/core/dsp/random'
import { CALL } from '../bench'

/** SIGKILL ends the browser at random moments of work. Nothing that was done a moment before is lost. */

const KILLS = Number(process.env.ENDURE_KILLS ?? 200)

/** what was done so long before is sure to have been written */
const SURE_MS = 700

async function open(profile: string, args: readonly string[], executable: string) {
  const portFile = join(profile, 'DevToolsActivePort')
  rmSync(portFile, { force: true })
  const child = spawn(
    executable,
    ['--headless', '--remote-debugging-port=0', `--user-data-dir=${profile}`, ...args, 'about:blank'],
    { stdio: 'ignore', detached: true },
  )
  for (let n = 0; n < 400 && !existsSync(portFile); n++) await new Promise((resolve) => setTimeout(resolve, 25))
  await new Promise((resolve) => setTimeout(resolve, 50))
  const [port] = readFileSync(portFile, 'utf8').split('\n')
  const browser = await chromium.connectOverCDP(`http://127.0.0.1:${port}`)
  const page = browser.contexts()[0]?.pages()[0] as Page
  await page.setViewportSize({ width: 1280, height: 800 })
  return { child, browser, page }
}

/** All of its processes at once, without a word. */
const shoot = (child: ChildProcess) => process.kill(-(child.pid as number), 'SIGKILL')

test(`a browser killed at ${KILLS} random moments loses nothing`, async ({ baseURL }, info) => {
  const profile = info.outputPath('profile')
  const random = createRandom(20)
  const { executablePath, args = [] } = info.project.use.launchOptions ?? {}
  let lost = 0
  let files = 0
  /** values of the stretch as they were typed, and when */
  let typed: { value: string; at: number }[] = []
  let sources = 10
  let least = 10
  for (let n = 0; n <= KILLS; n++) {
    const { child, browser, page } = await open(profile, args, executablePath as string)
    const errors: string[] = []
    page.on('pageerror', (error) => errors.push(error.message))
    await page.goto(baseURL as string)
    const list = page.getByRole('list', { name: 'Sources' })
    await expect(list.locator('[data-source]').first(), `kill ${n}`).toBeVisible()
    const notices = (await page.getByRole('region', { name: 'Notices' }).textContent()) ?? ''
    const there = await list.locator('[data-source]').count()
    await list.locator('[data-source="harbour-bell"]').click()
    const field = page.getByRole('spinbutton', { name: 'Stretch', exact: true })
    await expect(field).toBeVisible()
    const value = (await field.getAttribute('aria-valuenow')) as string
    const allowed = typed.map((one) => one.value)
    const isLost =
      (n > 0 && !allowed.includes(value)) ||
      there < least ||
      /could not be read|mended/.test(notices) ||
      errors.length > 0
    if (isLost) {
      lost++
      console.log(
        `kill ${n}: stretch ${value} of ${allowed}, ${there} sources of ${least} to ${sources}, ${notices} ${errors}`,
      )
    }
    if (n === KILLS) {
      await browser.close()
      shoot(child)
      break
    }
    typed = [{ value, at: 0 }]
    sources = there
    least = there
    let hit = 0
    const timer = setTimeout(
      () => {
        hit = Date.now()
        shoot(child)
      },
      300 + random() * 2500,
    )
    try {
      for (let k = 0; ; k++) {
        if (k % 6 === 3 && there < 30) {
          sources++
          const began = Date.now()
          await page.getByLabel('Sound files').setInputFiles(CALL.file)
          await expect(list.locator('[data-source]')).toHaveCount(sources)
          files++
          // in the list and written are not the same: it is asked for when it had time to be
          setTimeout(() => {
            if (hit === 0) least++
          }, SURE_MS)
          await list.locator('[data-source="harbour-bell"]').click()
          if (Date.now() - began > 60_000) throw new Error('it takes too long')
        }
        const next = (1 + Math.floor(random() * 900) / 100).toFixed(2)
        const own = String(Number(next))
        // from here on it may be there; it is sure to be some time after it was done
        const entry = { value: own, at: Number.POSITIVE_INFINITY }
        typed.push(entry)
        await field.fill(next, { timeout: 3000 })
        await field.press('Enter', { timeout: 3000 })
        entry.at = Date.now()
      }
    } catch {
      // it was shot
    }
    clearTimeout(timer)
    if (hit === 0) shoot(child)
    const end = hit || Date.now()
    typed = typed.slice(
      Math.max(
        0,
        typed.findLastIndex(({ at }) => at < end - SURE_MS),
      ),
    )
    await browser.close().catch(() => undefined)
    await new Promise((resolve) =>
      child.exitCode === null && child.signalCode === null ? child.once('exit', resolve) : resolve(0),
    )
  }
  console.log(`${KILLS} kills, ${files} files brought in, ${lost} times something was lost`)
  expect(lost).toBe(0)
})
