// What start and test both need: the locked packages, the demo sounds, a build that fits the sources.
import { spawn, spawnSync } from 'node:child_process'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { hashOf, root } from './bundle.mjs'

const environment = { ...process.env, NO_COLOR: '1', ASTRO_TELEMETRY_DISABLED: '1', ASTRO_DISABLE_UPDATE_CHECK: 'true' }

export function run(command, args, options = {}) {
  const result = spawnSync(command, args, { cwd: root, stdio: 'inherit', env: environment, ...options })
  if (result.error) throw result.error
  return result.status ?? 1
}

/** Runs this Node on each job's `words`, up to `atOnce` at a time; yields `{ name, status, output, seconds }` in the order given. */
export async function* inOrder(jobs, atOnce) {
  const waiting = jobs.map((job) => {
    let done
    const ended = new Promise((resolve) => {
      done = resolve
    })
    return { ...job, done, ended }
  })
  let next = 0
  const goOn = () => {
    const job = waiting[next++]
    if (!job) return
    const from = Date.now()
    const chunks = []
    const child = spawn(process.execPath, job.words, { cwd: root, env: environment, stdio: ['ignore', 'pipe', 'pipe'] })
    child.stdout.on('data', (chunk) => chunks.push(chunk))
    child.stderr.on('data', (chunk) => chunks.push(chunk))
    const end = (status) => {
      job.done({
        name: job.name,
        status,
        output: Buffer.concat(chunks).toString(),
        seconds: (Date.now() - from) / 1000,
      })
      goOn()
    }
    child.on('error', (error) => {
      chunks.push(Buffer.from(String(error)))
      end(1)
    })
    child.on('close', (status) => end(status ?? 1))
  }
  for (let i = 0; i < atOnce; i++) goOn()
  for (const { ended } of waiting) yield await ended
}

/** The tool of a package, run by this very Node. */
export const tool = (path) => join(root, 'node_modules', path)

export function needNode() {
  const [major, minor] = process.versions.node.split('.').map(Number)
  if (major > 20 || (major === 20 && minor >= 19)) return
  console.error(`Zumbet needs Node 20.19 or newer; this is ${process.versions.node}.`)
  process.exit(1)
}

/** Whether what is installed is what the lock asks for; packages of other platforms aside. */
function packagesFit() {
  const installedFile = join(root, 'node_modules', '.package-lock.json')
  if (!existsSync(installedFile)) return false
  const installed = JSON.parse(readFileSync(installedFile, 'utf8')).packages
  const wanted = JSON.parse(readFileSync(join(root, 'package-lock.json'), 'utf8')).packages
  return Object.entries(wanted).every(
    ([path, entry]) => path === '' || entry.optional || installed[path]?.version === entry.version,
  )
}

export function needPackages({ toStderr = false } = {}) {
  if (packagesFit()) return
  // where a command's output is for a program, what is told on the way goes beside it
  const say = toStderr ? console.error : console.log
  const options = toStderr ? { stdio: ['ignore', 2, 2] } : {}
  say('Installing the packages …')
  const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'
  const quiet = ['--no-audit', '--no-fund', '--loglevel=error']
  if (run(npm, ['ci', ...quiet], options) === 0) return
  say('npm ci did not work here; trying npm install …')
  if (run(npm, ['install', ...quiet], options) !== 0) {
    console.error('The packages could not be installed. Is the npm registry reachable?')
    process.exit(1)
  }
}

const BUILT_FROM = [
  'src',
  'server',
  'scripts/preload.mjs',
  'scripts/offline.mjs',
  'scripts/offlineWorker.js',
  'docs/guide.md',
  'docs/screenshots',
  'public',
  'astro.config.mjs',
  'package-lock.json',
  'tsconfig.json',
  'tsconfig.base.json',
]
const stamp = join(root, 'dist', '.built-from')

/** Demo sounds are hashed by the stamp of the code that made them: reading 24 MB at every start would be slow. */
const counts = (path) =>
  !/\.test\.tsx?$/.test(path) && (!path.startsWith('public/demo/') || /\.(made|known)-from$/.test(path))

export async function needBuild() {
  const { makeDemo } = await import('./demo.mjs')
  if (await makeDemo()) console.log('Made the demo sounds.')
  const wanted = hashOf(BUILT_FROM, counts)
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return
  console.log('Building …')
  const output = join(root, '.cache', 'build.log')
  const result = spawnSync(process.execPath, [tool('astro/astro.js'), 'build'], {
    cwd: root,
    env: environment,
    encoding: 'utf8',
  })
  writeFileSync(output, `${result.stdout}${result.stderr}`)
  if (result.status !== 0) {
    console.error(`${result.stdout}${result.stderr}\nThe build failed.`)
    process.exit(1)
  }
  writeFileSync(stamp, wanted)
}
