// Prints the table of all methods against the ideal answers, or with `--advice` how often advice is right; `--write` puts it
// into docs/quality.md, or docs/advice.md, as well.
import { spawnSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { bundled, root } from './bundle.mjs'

const file = await bundled('src/cli/quality.ts', ['src/cli', 'src/core', 'src/host'])
const args = process.argv.slice(2)
const { status, stdout } = spawnSync(process.execPath, [file, ...args.filter((arg) => arg !== '--write')], {
  encoding: 'utf8',
  stdio: ['ignore', 'pipe', 'inherit'],
  maxBuffer: 2 ** 26,
})
process.stdout.write(stdout)
const table = args.includes('--advice') ? 'advice.md' : 'quality.md'
if (args.includes('--write') && status === 0) {
  writeFileSync(join(root, 'docs', table), stdout)
  spawnSync('npx', ['biome', 'format', '--write', join('docs', table)], { cwd: root, stdio: 'ignore' })
}
process.exitCode = status ?? 1
