// TypeScript that Node is to run, bundled once and kept in .cache until a source changes.
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = dirname(dirname(fileURLToPath(import.meta.url)))

/** All files below the given places, in one order: whoever asks for several bundles looks once. */
const listings = new Map()
function filesBelow(place) {
  const known = listings.get(place)
  if (known) return known
  const files = []
  const visit = (path) => {
    const there = statSync(join(root, path), { throwIfNoEntry: false })
    if (!there) return
    if (there.isDirectory()) for (const name of readdirSync(join(root, path)).sort()) visit(`${path}/${name}`)
    else files.push({ path, size: there.size, time: there.mtimeMs })
  }
  visit(place)
  listings.set(place, files)
  return files
}

function hashBy(places, keep, tell) {
  const hash = createHash('sha256')
  for (const place of places)
    for (const file of filesBelow(place))
      if (keep(file.path)) hash.update(`${file.path}\0`).update(tell(file)).update('\0')
  return hash.digest('hex').slice(0, 16)
}

/** A short hash over the names and contents of all files below the given places. */
export const hashOf = (places, keep = () => true) => hashBy(places, keep, ({ path }) => readFileSync(join(root, path)))

/** The same by their sizes and times: a command asks at every start, and would read all its sources. */
const changesOf = (places, keep) => hashBy(places, keep, ({ size, time }) => `${size} ${time}`)

const isCode = (path) => /\.(ts|json)$/.test(path) && !/\.test\.ts$/.test(path)

/** The bundled module of `entry`, made if none fits the sources as they are; returns its path. */
export async function bundled(entry, sources) {
  const name = entry.replace(/^.*\/(\w+)\/(\w+)\.ts$/, '$1-$2')
  const folder = join(root, '.cache', 'bundles')
  const file = join(
    folder,
    `${name}-${changesOf([...sources, 'package-lock.json'], (p) => p === 'package-lock.json' || isCode(p))}.mjs`,
  )
  if (existsSync(file)) return file
  const { build } = await import('esbuild')
  mkdirSync(folder, { recursive: true })
  // several commands may start at once: each writes its own file, the last rename wins, all are alike
  const own = `${file}.${process.pid}`
  await build({
    entryPoints: [join(root, entry)],
    outfile: own,
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    packages: 'external',
    logLevel: 'error',
  })
  renameSync(own, file)
  for (const old of readdirSync(folder)) {
    if (old.startsWith(`${name}-`) && join(folder, old) !== file && /\.mjs$/.test(old))
      rmSync(join(folder, old), { force: true })
  }
  return file
}
