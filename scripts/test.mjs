// Everything that must hold, on a fresh clone: set-up, lint, types, kernels as their sources make them, import directions, unit tests, browser tests.
// The last line counts them all.
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { root } from './bundle.mjs'
import { inOrder, needNode, needPackages, run, tool } from './setup.mjs'

needNode()
needPackages()
const chromium = needChromium()

let passed = 0
let failed = 0
const count = (ok) => {
  if (ok) passed++
  else failed++
}
const node = (path, ...args) => run(process.execPath, [path, ...args])
const step = (name) => console.log(`\n— ${name}`)

// what needs one core each goes side by side
const imports = ['src', '--config', '.dependency-cruiser.cjs', '--output-type', 'err']
const checks = [
  { name: 'build', words: [join(root, 'scripts/build.mjs')] },
  { name: 'types', words: [join(root, 'scripts/types.mjs'), '--at-once', '1'] },
  { name: 'lint', words: [tool('@biomejs/biome/bin/biome'), 'check', '.'] },
  { name: 'kernels', words: [join(root, 'scripts/kernels.mjs'), '--check'] },
  { name: 'import directions', words: [tool('dependency-cruiser/bin/dependency-cruise.mjs'), ...imports] },
]
for await (const { name, status, output, seconds } of inOrder(checks, 2)) {
  step(`${name}, ${seconds.toFixed(0)} s`)
  console.log(output.trimEnd())
  count(status === 0)
  // browser tests would only tell of a build from before
  if (name === 'build' && status !== 0) process.exit(1)
}

mkdirSync(join(root, '.cache'), { recursive: true })
const reports = {
  unit: join(root, '.cache/unit.json'),
  beside: join(root, '.cache/e2e-beside.json'),
  alone: join(root, '.cache/e2e-alone.json'),
}
for (const report of Object.values(reports)) rmSync(report, { force: true })

step('unit tests')
const unit = node(
  tool('vitest/vitest.mjs'),
  'run',
  '--reporter=dot',
  '--reporter=json',
  `--outputFile.json=${reports.unit}`,
)
const unitReport = read(reports.unit)
passed += unitReport?.numPassedTests ?? 0
failed += unitReport?.numFailedTests ?? 0
// a run that broke before or beside its tests counts as one failure, never as none
if (unit !== 0 && !unitReport?.numFailedTests) failed++

// where sound is listened to in real time, one browser has the machine to itself
for (const [project, workers] of [
  ['beside', 2],
  ['alone', 1],
]) {
  step(`browser tests, ${workers === 1 ? 'one at a time' : 'two at a time'}`)
  const words = ['test', `--project=${project}`, `--workers=${workers}`]
  const browser = run(process.execPath, [tool('@playwright/test/cli.js'), ...words], {
    env: { ...process.env, NO_COLOR: '1', CHROMIUM: chromium, E2E_REPORT: reports[project] },
  })
  const stats = read(reports[project])?.stats
  passed += stats?.expected ?? 0
  failed += (stats?.unexpected ?? 0) + (stats?.flaky ?? 0)
  if (browser !== 0 && !(stats?.unexpected > 0)) failed++
}

console.log(`\n${passed} passed, ${failed} failed`)
process.exitCode = failed === 0 && passed > 0 ? 0 : 1

function read(file) {
  return existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : undefined
}

/** Debian's chromium, fetched through apt when there is none. */
function needChromium() {
  const known = [process.env.CHROMIUM, '/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome']
  const found = known.find((path) => path && existsSync(path))
  if (found) return found
  console.log('Installing chromium through apt …')
  const sudo = process.getuid?.() === 0 ? [] : ['sudo']
  const apt = (...args) => {
    const [command, ...rest] = [...sudo, 'apt-get', ...args]
    return run(command, rest, {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    })
  }
  apt('update')
  if (apt('install', '-y', '--no-install-recommends', 'chromium') !== 0 || !existsSync('/usr/bin/chromium')) {
    console.error(
      'No chromium was found and apt could not install one. Install it, or name one: CHROMIUM=/path/to/it npm test',
    )
    process.exit(1)
  }
  return '/usr/bin/chromium'
}
