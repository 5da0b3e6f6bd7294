// After `npm install` changed the lock: adds the optional packages of other platforms that a registry may lack, so that
// `npm ci` finds the lock whole on every platform. Entries say which platform they are for and are skipped elsewhere.
import { spawnSync } from 'node:child_process'
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

const lockFile = new URL('../package-lock.json', import.meta.url)
const lock = JSON.parse(readFileSync(lockFile, 'utf8'))

/** os, cpu and libc as these platform packages spell them in their names */
function platformOf(name) {
  const os = /(darwin|win32|linux|freebsd|openbsd|netbsd|android|aix|sunos|openharmony)/.exec(name)?.[1]
  const cpu = /(arm64|x64|ia32|arm|ppc64|riscv64|s390x|loong64|mips64el|wasm32)/.exec(name)?.[1]
  const libc = name.includes('musl') ? 'musl' : name.includes('gnu') ? 'glibc' : undefined
  return { ...(os && { os: [os] }), ...(cpu && { cpu: [cpu] }), ...(libc && { libc: [libc] }) }
}

function missing() {
  const dir = mkdtempSync(join(tmpdir(), 'lock-'))
  try {
    cpSync(new URL('../package.json', import.meta.url), join(dir, 'package.json'))
    writeFileSync(join(dir, 'package-lock.json'), JSON.stringify(lock))
    const run = spawnSync('npm', ['ci', '--dry-run', '--ignore-scripts'], { cwd: dir, encoding: 'utf8' })
    return [...new Set([...`${run.stderr}`.matchAll(/Missing: (\S+)@\S* from lock file/g)].map((m) => m[1]))]
  } finally {
    rmSync(dir, { recursive: true, force: true })
  }
}

/** every place where a package of this name is wanted: beside the package that wants it, with the version it wants */
function placesOf(name) {
  const places = []
  for (const [path, entry] of Object.entries(lock.packages)) {
    const wanted = entry.optionalDependencies?.[name]
    if (!wanted) continue
    const parent = path.lastIndexOf('node_modules/') > 0 ? path.slice(0, path.lastIndexOf('node_modules/')) : ''
    places.push({ path: `${parent}node_modules/${name}`, version: wanted.replace(/^[\^~]/, '') })
  }
  if (places.length === 0)
    throw new Error(`${name} is missing from the lock and nothing there wants it: run npm install`)
  return places
}

let added = 0
for (let round = 0; round < 5; round++) {
  const rows = missing()
  if (rows.length === 0) break
  for (const name of rows) {
    const platform = platformOf(name)
    if (!platform.os && !platform.cpu)
      throw new Error(`${name} is missing from the lock and is no platform package: run npm install`)
    for (const { path, version } of placesOf(name)) {
      if (lock.packages[path]) continue
      lock.packages[path] = { version, ...platform, optional: true }
      added++
    }
  }
}
if (added > 0) {
  const sorted = Object.fromEntries(Object.entries(lock.packages).sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0)))
  writeFileSync(lockFile, `${JSON.stringify({ ...lock, packages: sorted }, null, 2)}\n`)
}
console.log(`${added} entries added; npm ci ${missing().length === 0 ? 'accepts' : 'still refuses'} the lock`)
