import { execFileSync } from 'node:child_process'
import { readFileSync, writeFileSync } from 'node:fs'
import type { Page, TestInfo } from '@playwright/test'
import { type AudioBlock, frameCount, readWav, silence, writeWav } from '../src/core'
import { AS_WRITTEN } from '../src/core/testing/ideals'
import { drawnItem } from '../src/core/testing/scores'
import { choose, drawn, expect, expectOpenToAll, openSession, pickMethod, test, type } from './bench'
import { storedText, written } from './stored'

const playedFast = { ...AS_WRITTEN, stretch: 0.5 }

/** Knocks, and a chord behind them: what suits one harms the other. */
function twoSounds(): AudioBlock {
  const [hits, pad] = [drawnItem('knocks', 3).play(playedFast).audio, drawnItem('pad', 3).play(playedFast).audio]
  const channels = silence(2, frameCount(hits) + frameCount(pad))
  channels.forEach((channel, c) => {
    channel.set(hits.channels[c] as Float32Array)
    channel.set(pad.channels[c] as Float32Array, frameCount(hits))
  })
  return { sampleRate: hits.sampleRate, channels }
}

const ribbon = (page: Page, letter: string) =>
  page.getByRole('img', { name: new RegExp(`^Who sounds where in variant ${letter}:`) })
const shownRuns = async (page: Page, letter: string) =>
  ((await ribbon(page, letter).getAttribute('aria-label')) ?? '').replace(/^[^:]*: /, '').split(', ')

/** Both halves on the shelf at 1.3 ×, in three lanes: A splices, B locks, C is joined of them. */
async function openTwo(page: Page, info: TestInfo) {
  const file = info.outputPath('knocks and chord.wav')
  writeFileSync(file, writeWav(twoSounds(), { format: '24' }))
  await openSession(page)
  await page.getByLabel('Sound files').setInputFiles(file)
  await choose(page, 'knocks and chord')
  await expect(
    page.getByRole('group', { name: 'What is known' }).getByRole('button', { name: 'Attacks' }),
  ).toBeVisible()
  await drawn(page)
  await type(page.getByRole('spinbutton', { name: 'Stretch' }), '1.3')
  // whatever lanes its kind begins with give way to these two
  for (const letter of ['C', 'B']) {
    await page.getByRole('button', { name: new RegExp(`^Hear variant ${letter}`) }).click()
    await page.getByRole('button', { name: 'Remove', exact: true }).click()
  }
  await page.getByRole('button', { name: /^Hear variant A/ }).click()
  await pickMethod(page, 'Method of variant A', 'Attack splice')
  await pickMethod(page, 'Add a variant', 'Locked vocoder')
  await page.getByRole('button', { name: /^Hear variant A/ }).click()
  await page.getByRole('button', { name: 'Add a variant' }).click()
  await page.getByRole('menuitem', { name: /^Joined lanes/ }).click()
  await expect(ribbon(page, 'C')).toBeVisible()
  return file
}

test('lanes are joined by measure; it is shown who sounds where, kept, and the file is what the command makes', async ({
  page,
}, info) => {
  const file = await openTwo(page, info)
  expect(await shownRuns(page, 'C')).toEqual(['from 0.00 s Attack splice'])
  await page.getByRole('button', { name: 'Join by measure' }).click()
  await expect(page.getByRole('region', { name: 'Notices' }).getByText(/joined at 1 place: harm/)).toBeVisible()
  const runs = await shownRuns(page, 'C')
  expect(runs).toEqual(['from 0.00 s Attack splice', expect.stringMatching(/^from 1\.\d\d s Locked vocoder$/)])
  await expect(
    page.getByRole('button', { name: 'Hear variant C, Joined: Attack splice + Locked vocoder' }),
  ).toBeVisible()

  await expectOpenToAll(page)

  // the recipe, as it is kept, by the command
  await written(page, '"joins":[{')
  const [row] = JSON.parse(await storedText(page, 'sessions')) as {
    session: { sources: { name: string; variants: Kept[] }[] }
  }[]
  const kept = row?.session.sources.find(({ name }) => name === 'knocks and chord')?.variants[2] as Kept
  const { methodId, settings, seed, joins } = kept
  const recipe = { methodId, settings: settings[methodId] ?? {}, seed, stretch: 1.3, joins }
  writeFileSync(info.outputPath('joined.json'), JSON.stringify(recipe))
  const result = info.outputPath('joined.wav')
  execFileSync(process.execPath, ['bin/zumbet.mjs', 'render', file, result, '--recipe', info.outputPath('joined.json')])
  await drawn(page)
  const download = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Export C' }).click()
  const saved = await download
  expect(saved.suggestedFilename()).toBe('knocks-and-chord_x1.3_joined.wav')
  const read = (place: string) => readWav(readFileSync(place), 'joined.wav', (frames) => new Float32Array(frames)).audio
  const [ours, theirs] = [read((await saved.path()) as string), read(result)]
  expect(frameCount(ours)).toBe(Math.round(1.3 * frameCount(twoSounds())))
  ours.channels.forEach((channel, c) => {
    expect(Buffer.from(channel.buffer).equals(Buffer.from((theirs.channels[c] as Float32Array).buffer))).toBe(true)
  })

  await page.reload()
  await choose(page, 'knocks and chord')
  expect(await shownRuns(page, 'C')).toEqual(runs)
})

interface Kept {
  readonly methodId: string
  readonly settings: Record<string, Record<string, number | string>>
  readonly seed: number
  readonly joins: readonly unknown[]
}

test('a joined lane is painted with the number keys while it plays; a run can be moved, given to another, and removed', async ({
  page,
}, info) => {
  await openTwo(page, info)
  const heardUpTo = (seconds: number) =>
    expect
      .poll(async () => Number(await page.getByRole('slider', { name: 'Playhead' }).getAttribute('aria-valuenow')), {
        intervals: [50],
      })
      .toBeGreaterThan(seconds)
  await page.getByRole('button', { name: 'Paint by hand' }).click()
  await page.getByRole('slider', { name: 'Playhead' }).focus()
  await page.keyboard.press('Space')
  await heardUpTo(0.6)
  await page.keyboard.press('2')
  // a page that is held up for a while goes on painting where the sound is by then
  await heardUpTo(0.75)
  await page.evaluate(() => {
    const end = performance.now() + 700
    while (performance.now() < end);
  })
  await heardUpTo(1.4)
  await page.keyboard.press('1')
  await heardUpTo(1.9)
  await page.keyboard.press('Space')
  const painted = await shownRuns(page, 'C')
  const lanes = painted.map((run) => run.replace(/^from [\d.]+ s /, ''))
  expect(lanes).toEqual(['Attack splice', 'Locked vocoder', 'Attack splice'])

  const runs = page.getByRole('list', { name: 'Runs of variant C' })
  await type(runs.getByRole('spinbutton', { name: 'Run 2 begins' }), '0.25')
  expect((await shownRuns(page, 'C'))[1]).toBe('from 0.25 s Locked vocoder')
  await runs.getByRole('combobox', { name: 'Lane of run 3' }).selectOption({ label: 'B Locked vocoder' })
  // neighbours that are alike are one
  expect(await shownRuns(page, 'C')).toEqual(['from 0.00 s Attack splice', 'from 0.25 s Locked vocoder'])
  await runs.getByRole('button', { name: 'Remove run 2' }).click()
  expect(await shownRuns(page, 'C')).toEqual(['from 0.00 s Attack splice'])
  // the whole pass was one step
  for (let n = 0; n < 4; n++) await page.keyboard.press('Control+z')
  expect(await shownRuns(page, 'C')).toEqual(['from 0.00 s Attack splice'])
  await page.keyboard.press('Control+Shift+z')
  expect(await shownRuns(page, 'C')).toEqual(painted)
})
