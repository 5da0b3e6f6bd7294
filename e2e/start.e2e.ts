import { spawnSync } from 'node:child_process'
import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { rms } from '../src/core/testing/tone'
import { expect, heard, inTheme, openBench, openSession, test, truth } from './bench'

test('opens on The Tide Clock with all its sounds, read, and three variants drawn', async ({ page }) => {
  await openBench(page)
  const rows = page.getByRole('list', { name: 'Sources' }).getByRole('listitem')
  await expect(rows).toHaveCount(11)
  await expect(page.getByText('not read yet')).toHaveCount(0)
  for (const sound of truth().sounds.filter((s) => s.seconds < 10)) {
    await expect(rows.filter({ hasText: `0:0${sound.seconds.toFixed(3)}` })).not.toHaveCount(0)
  }
  for (const name of [
    'Hear variant A, Attack splice',
    'Hear variant B, Locked vocoder',
    'Hear variant C, Grain cloud',
  ]) {
    await expect(page.getByRole('button', { name })).toContainText('600 000 samples')
  }
  await expect(page.getByRole('button', { name: 'Hear the reference' })).toContainText('480 000 samples')
})

test('what is asked to play while it is still being read plays as soon as it is, unless that is taken back', async ({
  page,
}) => {
  let arrive = () => {}
  const arrived = new Promise<void>((resolve) => {
    arrive = resolve
  })
  await page.route('**/demo/*.wav', async (route) => {
    await arrived
    await route.continue()
  })
  await openSession(page)
  const button = (name: string) => page.getByRole('button', { name, exact: true })
  await expect(button('Play')).toBeDisabled()
  for (let times = 0; times < 3; times++) await page.keyboard.press('Space')
  arrive()
  await expect(button('Stop')).toBeVisible()
  // what went out is not silence
  await expect.poll(async () => rms((await heard(page, 9600)).samples)).toBeGreaterThan(0.001)
})

test('every answer of the server is isolated, and its policy lets in nothing from elsewhere', async ({
  page,
  request,
  complaints,
}) => {
  const seen: string[] = []
  page.on('response', (response) => {
    const headers = response.headers()
    if (response.url().startsWith('data:') || response.url().startsWith('blob:')) return
    seen.push(new URL(response.url()).pathname)
    expect(headers['cross-origin-opener-policy'], response.url()).toBe('same-origin')
    expect(headers['cross-origin-embedder-policy'], response.url()).toBe('require-corp')
    expect(headers['cross-origin-resource-policy'], response.url()).toBe('same-origin')
    expect(headers['content-security-policy'], response.url()).toContain("default-src 'none'")
  })
  await openBench(page)
  expect(await page.evaluate(() => crossOriginIsolated)).toBe(true)
  expect(seen.some((path) => path.includes('worker'))).toBe(true)
  const policy = (await request.get('/')).headers()['content-security-policy'] ?? ''
  expect(policy).not.toMatch(/script-src[^;]*('unsafe-inline'|'unsafe-eval'|https?:|\*)/)
  // a script that got into the page all the same does not run
  const ran = await page.evaluate(() => {
    const script = document.createElement('script')
    script.textContent = 'globalThis.intruder = true'
    document.body.append(script)
    return 'intruder' in globalThis
  })
  expect(ran).toBe(false)
  await expect.poll(() => complaints.length).toBe(1)
  expect(complaints.pop()).toContain('Content Security Policy')
})

test('a taken port, and one that cannot be, are told with what to do', async ({ baseURL }) => {
  const taken = new URL(baseURL as string).port
  for (const [port, says] of [
    [taken, `Port ${taken} is taken`],
    ['tide', 'PORT must be a whole number'],
  ] as const) {
    const { status, stderr, stdout } = spawnSync(process.execPath, ['server/serve.mjs'], {
      encoding: 'utf8',
      env: { ...process.env, PORT: port, HOST: '127.0.0.1' },
      timeout: 30_000,
    })
    expect(status).toBe(1)
    expect(stderr).toContain(says)
    expect(stderr.trim().split('\n')).toHaveLength(1)
    expect(stdout).not.toContain('Zumbet is at')
  }
})

test('the lanes zoom and scroll by wheel and by keys, all on one time axis', async ({ page }) => {
  await openBench(page)
  const ruler = async () =>
    (await page.getByRole('img', { name: 'Seconds of the source' }).locator('text').allTextContents()).map(Number)
  const whole = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9]
  expect((await ruler()).filter(Number.isFinite).slice(0, 10)).toEqual(whole)
  const box = (await page.getByRole('img', { name: 'Waveform of variant B' }).boundingBox()) as {
    x: number
    y: number
    width: number
    height: number
  }
  await page.mouse.move(box.x + box.width / 2, box.y + 20)
  for (let n = 0; n < 5; n++) await page.mouse.wheel(0, -200)
  await expect.poll(async () => Math.min(...(await ruler()).filter(Number.isFinite))).toBeGreaterThan(3)
  const close = await ruler()
  expect(Math.max(...close.filter(Number.isFinite))).toBeLessThan(7)
  await page.mouse.wheel(400, 0)
  await expect
    .poll(async () => Math.min(...(await ruler()).filter(Number.isFinite)))
    .toBeGreaterThan(Math.min(...close.filter(Number.isFinite)))
  await page.keyboard.press('f')
  await expect.poll(async () => (await ruler()).filter(Number.isFinite).slice(0, 10)).toEqual(whole)
  await page.keyboard.press('+')
  await page.keyboard.press('+')
  await page.keyboard.press('ArrowRight')
  await expect.poll(async () => Math.min(...(await ruler()).filter(Number.isFinite))).toBeGreaterThan(0)
  for (let n = 0; n < 4; n++) await page.keyboard.press('-')
  await expect.poll(async () => (await ruler()).filter(Number.isFinite).slice(0, 10)).toEqual(whole)
})

test('the methods can be asked for over HTTP', async ({ request }) => {
  const rows = await (await request.get('/api/methods')).json()
  expect(rows.map((row: { id: string }) => row.id)).toEqual([
    'splice',
    'wsola',
    'vocoder',
    'cycle',
    'grain',
    'drift',
    'layered',
    'varispeed',
  ])
})

test("nothing is in the way of anyone, by axe's rules, in either theme", async ({ page }) => {
  await openBench(page)
  for (const [n, theme] of (['ink', 'paper'] as const).entries()) {
    if (theme === 'paper') await page.getByRole('button', { name: 'Change to Paper' }).click()
    await expect(page.locator('html')).toHaveAttribute('data-theme', theme)
    const { violations } = await inTheme(new AxeBuilder({ page }), n).analyze()
    expect(violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`)).toEqual([])
  }
})

/** Controls of the bench and the transport that cannot be brought under the pointer, by what they are called. */
const outOfReach = (page: Page) =>
  page.evaluate(() => {
    const controls = document.querySelectorAll<HTMLElement>(
      'main button, main input, main select, [aria-label="Transport"] button',
    )
    const isForKeys = (control: HTMLElement) => control.closest('.sr-only') !== null
    // of marks that lie upon one another only one can be on top
    const isMark = (control: HTMLElement) => control.closest('[aria-label="Attacks"]') !== null
    return [...controls].flatMap((control) => {
      if (isForKeys(control) || isMark(control) || control.offsetParent === null) return []
      control.scrollIntoView({ block: 'center', inline: 'center' })
      const { left, top, width, height } = control.getBoundingClientRect()
      const hit = document.elementFromPoint(left + width / 2, top + height / 2)
      const reached = hit !== null && (control.contains(hit) || hit.contains(control))
      return reached ? [] : [control.getAttribute('aria-label') ?? control.textContent ?? control.tagName]
    })
  })

for (const [what, viewport] of [
  ['a window of 1024 pixels', { width: 1024, height: 768 }],
  ['a browser zoom of 125 %', { width: 1024, height: 640 }],
  ['a browser zoom of 150 %', { width: 853, height: 533 }],
] as const)
  test(`every control of the bench is reached in ${what}`, async ({ page }) => {
    await page.setViewportSize(viewport)
    await openBench(page)
    expect(await outOfReach(page)).toEqual([])
    // lanes are not squeezed away by what lies around them
    const { height } = (await page.getByRole('region', { name: 'Lanes' }).boundingBox()) as { height: number }
    expect(height).toBeGreaterThan(200)
  })
