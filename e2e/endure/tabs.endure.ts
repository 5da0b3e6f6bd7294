import type { Page } from '@playwright/test'
import { createRandom } from '../../src/core/dsp/random'
import { choose, expect, openSession, test, type } from '../bench'

/** Three tabs take over from one another, close and open at random. One writes, and no change is lost. */

const STEPS = Number(process.env.ENDURE_STEPS ?? 60)

const watching = (page: Page) => page.getByRole('status', { name: 'Session state' })
const stretch = (page: Page) => page.getByRole('spinbutton', { name: 'Stretch', exact: true })

test(`three tabs, ${STEPS} steps: one writes, and all see the same`, async ({ page, context, baseURL }) => {
  const random = createRandom(3)
  const pick = <T>(of: readonly T[]) => of[Math.floor(random() * of.length)] as T
  await openSession(page)
  let tabs: Page[] = [page]
  const open = async () => {
    const tab = await context.newPage()
    await tab.goto(baseURL as string)
    await choose(tab, 'Harbour bell')
    tabs.push(tab)
  }
  await choose(page, 'Harbour bell')
  await open()
  await open()
  let value = '1'
  let changes = 0
  for (let n = 0; n < STEPS; n++) {
    const act = random()
    if (act < 0.25) {
      const watcher = pick(tabs)
      if ((await watching(watcher).count()) > 0)
        await watching(watcher).getByRole('button', { name: 'Work here instead' }).click()
    } else if (act < 0.35 && tabs.length > 1) {
      const gone = pick(tabs)
      tabs = tabs.filter((tab) => tab !== gone)
      await gone.close()
    } else if (act < 0.5 && tabs.length < 3) await open()
    else {
      const writers = []
      for (const tab of tabs) if ((await watching(tab).count()) === 0) writers.push(tab)
      const [writer] = writers
      if (writer) {
        value = String(Math.floor(100 + random() * 800) / 100)
        await type(stretch(writer), value)
        changes++
      }
    }
    // one writes, and all show the same
    await expect
      .poll(
        async () => {
          const bars = await Promise.all(tabs.map((tab) => watching(tab).count()))
          return bars.filter((count) => count === 0).length
        },
        { message: `step ${n}` },
      )
      .toBe(1)
    for (const tab of tabs)
      await expect.poll(() => stretch(tab).getAttribute('aria-valuenow'), { message: `step ${n}` }).toBe(value)
  }
  console.log(`${STEPS} steps, ${changes} changes`)
})
