import { createHash } from 'node:crypto'
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join, relative, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { root } from './bundle.mjs'

/** Paths of all files below a folder, as a page asks for them. */
const pathsBelow = (folder) =>
  readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => statSync(join(folder, name)).isFile())
    .map((name) => relative(folder, join(folder, name)).split(sep).join('/'))
    // hidden ones are not handed out
    .filter((path) => !path.split('/').some((name) => name.startsWith('.')))
    .sort()

/** Writes the worker that keeps the built app in the browser, with the list of what it is to keep. */
export const keptOffline = () => ({
  name: 'kept-offline',
  hooks: {
    'astro:build:done': ({ dir }) => {
      const client = fileURLToPath(dir)
      const paths = pathsBelow(client).filter((path) => path !== 'sw.js')
      const hash = createHash('sha256')
      for (const path of paths) hash.update(path).update(readFileSync(join(client, path)))
      const asked = paths.map((path) => `/${path.replace(/(^|\/)index\.html$/, '$1')}`)
      const worker = readFileSync(join(root, 'scripts/offlineWorker.js'), 'utf8')
      writeFileSync(
        join(client, 'sw.js'),
        worker.replace('__VERSION__', hash.digest('hex').slice(0, 16)).replace('__PATHS__', JSON.stringify(asked)),
      )
    },
  },
})
