import type { Page } from '@playwright/test'
import { frameCount } from '../src/core'
import { decodeFile } from '../src/host/decodeFile'
import { CALL, expect, openCall, test, type } from './bench'
import { written } from './stored'

/** The picker cannot be shown here: a file of the browser's own stands in for one of the computer's. */
async function openLinked(page: Page) {
  await page.addInitScript(() => {
    ;(window as unknown as { showSaveFilePicker: unknown }).showSaveFilePicker = async () =>
      (await navigator.storage.getDirectory()).getFileHandle('linked.flac', { create: true })
  })
  await openCall(page)
  await page.keyboard.press('o')
  await page.getByRole('checkbox', { name: 'gull: A', exact: true }).check()
  await page.getByRole('button', { name: 'Save over a file' }).click()
  await expect(line(page)).toHaveAccessibleName('linked.flac: done')
}
const line = (page: Page) => page.getByRole('list', { name: 'Queue' }).getByRole('listitem')
const again = (page: Page) => page.getByRole('checkbox', { name: 'linked.flac: again at every change' })

/** What a program that is linked to the file would find in it: frames, or undefined where it is not whole. */
async function linked(page: Page): Promise<number | undefined> {
  const bytes = await page.evaluate(async () => {
    const handle = await (await navigator.storage.getDirectory()).getFileHandle('linked.flac')
    for (;;) {
      try {
        return [...new Uint8Array(await (await handle.getFile()).arrayBuffer())]
      } catch (error) {
        // another file was put in its place between the two: whoever has it open reads the new one
        if ((error as Error).name !== 'NotReadableError') throw error
      }
    }
  })
  try {
    return frameCount((await decodeFile(Uint8Array.from(bytes), 'linked.flac')).audio)
  } catch {
    return undefined
  }
}
async function stretchTo(page: Page, stretch: string) {
  await page.keyboard.press('b')
  await type(page.getByRole('spinbutton', { name: 'Stretch', exact: true }), stretch)
}
const frames = (stretch: number) => Math.round(CALL.seconds * stretch * CALL.sampleRate)

test('a result is saved over one file, again at every change and after a reload; the file is whole each time', async ({
  page,
}) => {
  await openLinked(page)
  expect(await linked(page)).toBe(frames(1))
  await again(page).check()
  for (const stretch of [1.5, 0.5, 2]) {
    await stretchTo(page, String(stretch))
    const seen = new Set<number | undefined>()
    await expect
      .poll(async () => {
        const found = await linked(page)
        seen.add(found)
        return found
      })
      .toBe(frames(stretch))
    expect(seen).not.toContain(undefined)
  }
  await written(page, '"again":true', { table: 'outlooks' })
  await page.reload()
  await stretchTo(page, '1.25')
  await expect.poll(() => linked(page)).toBe(frames(1.25))
  // let go of, it stays as it is
  await page.keyboard.press('o')
  await page.getByRole('button', { name: /^Let go of linked.flac/ }).click()
  await stretchTo(page, '3')
  await page.keyboard.press('o')
  await expect(again(page)).toHaveCount(0)
  expect(await linked(page)).toBe(frames(1.25))
})

test('a file that someone else changed since is left alone, and told of; trying again writes over it', async ({
  page,
}) => {
  await openLinked(page)
  await page.evaluate(async () => {
    const handle = await (await navigator.storage.getDirectory()).getFileHandle('linked.flac')
    const { lastModified } = await handle.getFile()
    // a disk may count in seconds
    while (Date.now() < lastModified + 1100) await new Promise((resolve) => setTimeout(resolve, 50))
    const stream = await handle.createWritable()
    await stream.write('of another program')
    await stream.close()
  })
  await page.getByRole('button', { name: 'Save linked.flac now' }).click()
  await expect(line(page).getByRole('alert')).toContainText('changed by someone else')
  expect(await linked(page)).toBeUndefined()
  await page.getByRole('button', { name: 'Try linked.flac again' }).click()
  await expect(line(page)).toHaveAccessibleName('linked.flac: done')
  expect(await linked(page)).toBe(frames(1))
})
