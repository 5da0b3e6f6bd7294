// What only long use shows: every stored row damaged in fifty ways, three tabs, a full disk, a browser killed at 200
// random moments, broken files through the page. `npm run endure -- kills` runs one of them; ENDURE_KILLS=20 and the
// like do fewer.
import { existsSync } from 'node:fs'
import { needBuild, needNode, needPackages, run, tool } from './setup.mjs'

needNode()
needPackages()
await needBuild()
const chromium = [process.env.CHROMIUM, '/usr/bin/chromium'].find((path) => path && existsSync(path))
if (!chromium) {
  console.error('No chromium was found. npm test installs one, or name one: CHROMIUM=/path/to/it npm run endure')
  process.exit(1)
}
const words = ['test', '--project=endure', '--workers=1', ...process.argv.slice(2)]
process.exitCode = run(process.execPath, [tool('@playwright/test/cli.js'), ...words], {
  env: { ...process.env, NO_COLOR: '1', CHROMIUM: chromium, E2E_REPORT: '.cache/endure.json' },
})
