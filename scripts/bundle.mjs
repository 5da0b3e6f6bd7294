// TypeScript that Node is to run, bundled once and kept in .cache until a source changes.
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = dirname(dirname(fileURLToPath(import.meta.url)))

/** A short hash over the names and contents of all files below the given places. */
export function hashOf(places, keep = () => true) {
  const hash = createHash('sha256')
  const visit = (path) => {
    if (!existsSync(join(root, path))) return
    if (statSync(join(root, path)).isDirectory()) {
      for (const name of readdirSync(join(root, path)).sort()) visit(`${path}/${name}`)
    } else if (keep(path))
      hash
        .update(`${path}\0`)
        .update(readFileSync(join(root, path)))
        .update('\0')
  }
  for (const place of places) visit(place)
  return hash.digest('hex').slice(0, 16)
}

const isCode = (path) => /\.(ts|json)$/.test(path) && !/\.test\.ts$/.test(path)

/** The bundled module of `entry`, made if none fits the sources as they are; returns its path. */
export async function bundled(entry, sources) {
  const name = entry.replace(/^.*\/(\w+)\/(\w+)\.ts$/, '$1-$2')
  const folder = join(root, '.cache', 'bundles')
  const file = join(
    folder,
    `${name}-${hashOf([...sources, 'package-lock.json'], (p) => p === 'package-lock.json' || isCode(p))}.mjs`,
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
