import { execFileSync, spawnSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import { chromium, expect, test } from '@playwright/test'
import { writeWav } from '../../src/core'
import { CALL } from '../bench'

/** A profile on a small disk gets files until it is full. Everything that was there is there after it. */

const mayMount = spawnSync('unshare', ['--mount', 'mount', '-t', 'tmpfs', 'tmpfs', '/mnt']).status === 0

test('a disk that runs full loses nothing of the session', async ({ baseURL }, info) => {
  expect(mayMount, 'A small disk has to be mounted for this: run it as root.').toBe(true)
  const disk = info.outputPath('disk')
  mkdirSync(disk, { recursive: true })
  execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=90m', 'tmpfs', disk])
  try {
    const options = { ...info.project.use.launchOptions, viewport: { width: 1280, height: 800 } }
    const browser = await chromium.launchPersistentContext(disk, options)
    const page = await browser.newPage()
    await page.goto(baseURL as string)
    const list = page.getByRole('list', { name: 'Sources' })
    await expect(list.locator('[data-source]')).toHaveCount(10)
    await page.getByLabel('Sound files').setInputFiles(CALL.file)
    await expect(list.locator('[data-source]')).toHaveCount(11)
    const samples = (seed: number) => Float32Array.from({ length: 48_000 * 60 }, (_, i) => Math.sin(i / (9 + seed)) / 3)
    let refused = ''
    let came = 0
    for (let n = 0; n < 12 && refused === ''; n++) {
      const bytes = Buffer.from(writeWav({ sampleRate: 48_000, channels: [samples(n)] }, { format: '32f' }))
      await page
        .getByLabel('Sound files')
        .setInputFiles([{ name: `tone ${n}.wav`, mimeType: 'audio/wav', buffer: bytes }])
      await expect(page.getByText(/^(Reading|Waiting:) /)).toHaveCount(0, { timeout: 60_000 })
      refused = (await page.getByRole('region', { name: 'Notices' }).textContent()) ?? ''
      if (refused === '') came++
    }
    console.log(`${came} files of 11.5 MB came in, then: ${refused}`)
    expect(refused).toMatch(/no room left|cannot be used just now/)
    expect(refused).not.toMatch(/Something went wrong/)
    const there = await list.locator('[data-source]').count()
    expect(there).toBeGreaterThanOrEqual(11 + came)
    await page.waitForTimeout(1000)
    await browser.close()
    const again = await chromium.launchPersistentContext(disk, options)
    const second = await again.newPage()
    await second.goto(baseURL as string)
    await expect(second.getByRole('list', { name: 'Sources' }).locator('[data-source]')).toHaveCount(there)
    await again.close()
  } finally {
    execFileSync('umount', ['-l', disk])
  }
})
