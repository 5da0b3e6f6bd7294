import { choose, expect, listen, output, test, type } from '../bench'

/** Dense playing for minutes: as many voices as a method may have at once, a note every few milliseconds. */

const MINUTES = Number(process.env.ENDURE_MINUTES ?? 5)
const VOICES = { 'Grain cloud': 32, 'Waveform match': 32, 'Locked vocoder': 12, 'Three-layer': 6 } as const

for (const [method, voices] of Object.entries(VOICES))
  test(`${voices} voices of ${method} for ${MINUTES} minutes: nothing runs dry`, async ({ page }) => {
    test.setTimeout(120_000 + 90_000 * MINUTES)
    await page.goto('/?keyboard')
    await expect(page.getByRole('heading', { name: 'Rope winch' })).toBeVisible()
    await choose(page, 'Foghorn and whistle')
    await page.keyboard.press('p')
    await page.getByRole('button', { name: 'Add a variant' }).click()
    await page.getByRole('menuitemradio', { name: new RegExp(`^${method}`) }).click()
    await page.getByRole('tab', { name: 'Keys', exact: true }).click()
    await page.getByRole('button', { name: 'Put what is on the strip over the keys' }).click()
    await type(page.getByRole('spinbutton', { name: 'Voices' }), String(voices))
    await expect(page.getByRole('group', { name: 'Keys', exact: true })).toHaveAttribute('aria-busy', 'false', {
      timeout: 60_000,
    })
    await page.locator('body').click({ position: { x: 5, y: 5 } })
    await listen(page, 2)
    const before = (await output(page)).underruns
    // as many keys are held as there are voices: each new one takes the oldest one's place
    const struck = await page.evaluate(
      async ({ voices: count, seconds }) => {
        const { zumbetKeyboard } = globalThis as unknown as { zumbetKeyboard: (bytes: number[]) => void }
        const held: number[] = []
        const until = performance.now() + 1000 * seconds
        let n = 0
        while (performance.now() < until) {
          // two octaves around the root, by a step that meets all keys
          const key = 45 + ((7 * n++) % 25)
          zumbetKeyboard([0x90, key, 40])
          held.push(key)
          if (held.length > count) zumbetKeyboard([0x80, held.shift() as number, 0])
          await new Promise((resolve) => setTimeout(resolve, 120))
        }
        for (const key of held) zumbetKeyboard([0x80, key, 0])
        return n
      },
      { voices, seconds: 60 * MINUTES },
    )
    const { underruns } = await output(page)
    console.log(`${method}, ${voices} voices: ${underruns - before} underruns in ${MINUTES} min, ${struck} notes`)
    expect(underruns - before).toBe(0)
  })
