// Prints how fast it is; `--write` puts it into docs/performance.md, `--json` prints the gates alone:
// {gates:[{name,value,limit,holds}]}. The page's part is measured where the page is built and there is a chromium.
import { spawn, spawnSync } from 'node:child_process'
import { existsSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { bundled, root } from './bundle.mjs'
import { scriptsOf } from './preload.mjs'
import { needBuild, needNode, needPackages } from './setup.mjs'

const args = process.argv.slice(2)
const json = args.includes('--json')
needNode()
needPackages({ toStderr: json })
const file = await bundled('src/cli/bench.ts', ['src/cli', 'src/core', 'src/host'])
const { status, stdout } = spawnSync(process.execPath, [file, ...(json ? ['--json'] : [])], {
  encoding: 'utf8',
  stdio: ['ignore', 'pipe', 'inherit'],
})
process.stdout.write(stdout)
if (status === 0 && !json) {
  const page = await pageTable()
  process.stdout.write(page)
  if (args.includes('--write')) {
    const target = join(root, 'docs/performance.md')
    writeFileSync(target, stdout + page)
    spawnSync('npx', ['biome', 'format', '--write', target], { cwd: root, stdio: 'ignore' })
  }
}
process.exitCode = status ?? 1

async function pageTable() {
  await needBuild()
  const rows = [['what the page loads, compressed', `${Math.round(loadedBytes() / 1024)} KB of scripts`]]
  const chromium = [process.env.CHROMIUM, '/usr/bin/chromium'].find((path) => path && existsSync(path))
  if (chromium) {
    const opened = await openTimes(chromium)
    rows.push(['from asking for the page to its first picture', `${opened.picture} ms`])
    rows.push(['until Play can be pressed, with the demo session', `${opened.answers} ms`])
  }
  return `\n## The page\n\n| what | figure |\n| --- | --- |\n${rows.map((row) => `| ${row.join(' | ')} |`).join('\n')}\n`
}

/** Scripts that are asked for before anything is done, as the built page names them. */
function loadedBytes() {
  const folder = join(root, 'dist/client/_astro')
  const html = readFileSync(join(root, 'dist/client/index.html'), 'utf8')
  return scriptsOf(html, folder).reduce((sum, name) => {
    const path = join(folder, name)
    return sum + (statSync(path).size > 0 ? gzipSync(readFileSync(path)).length : 0)
  }, 0)
}

async function openTimes(executablePath) {
  const { chromium } = await import('@playwright/test')
  const port = 4790
  const server = spawn(process.execPath, [join(root, 'server/serve.mjs')], {
    env: { ...process.env, PORT: String(port), HOST: '127.0.0.1' },
    stdio: 'ignore',
  })
  const browser = await chromium.launch({ executablePath, args: ['--no-sandbox', '--disable-gpu'] })
  const answers = []
  const picture = []
  try {
    for (let round = 0; round < 5; round++) {
      const context = await browser.newContext()
      const page = await context.newPage()
      // asked from outside, the answer would come a quarter of a second later
      await page.addInitScript(() => {
        const look = () => {
          const play = [...document.querySelectorAll('button')].find((one) => one.textContent?.trim() === 'Play')
          if (play && !play.disabled) globalThis.answeredAt = performance.now()
          else requestAnimationFrame(look)
        }
        requestAnimationFrame(look)
      })
      for (let tries = 0; ; tries++) {
        const opened = await page.goto(`http://127.0.0.1:${port}/`).catch(() => undefined)
        if (opened) break
        if (tries > 50) throw new Error('the server did not answer')
        await page.waitForTimeout(100)
      }
      await page.waitForFunction(() => globalThis.answeredAt !== undefined)
      answers.push(await page.evaluate(() => globalThis.answeredAt))
      picture.push(
        await page.evaluate(() => performance.getEntriesByName('first-contentful-paint')[0]?.startTime ?? Number.NaN),
      )
      await context.close()
    }
  } finally {
    await browser.close()
    server.kill()
  }
  const median = (values) => Math.round([...values].sort((a, b) => a - b)[values.length >> 1])
  return { answers: median(answers), picture: median(picture) }
}
