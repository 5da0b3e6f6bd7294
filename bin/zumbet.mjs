#!/usr/bin/env node
import { pathToFileURL } from 'node:url'

let file
try {
  const { bundled } = await import('../scripts/bundle.mjs')
  file = await bundled('src/cli/entry.ts', ['src/cli', 'src/core', 'src/host', 'src/session'])
} catch (error) {
  const missing = error?.code === 'ERR_MODULE_NOT_FOUND'
  process.stderr.write(
    missing
      ? 'zumbet: its packages are not installed. Run npm ci (or npm start) in its folder first.\n'
      : `zumbet: the command could not be built: ${error?.message ?? error}\n`,
  )
  process.exit(1)
}
await import(pathToFileURL(file).href)
