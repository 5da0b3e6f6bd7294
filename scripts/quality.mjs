// Prints the table of all methods against the ideal answers. `--advice` tells how often advice is right.
// `--proven` lays harm of known size beside what is measured of it. `--agree` looks for contradictions in what is said.
// `--held` tells how close methods and advice come on sounds that nothing was fitted to; broken off, it goes on.
// `--write` puts the table into docs as well.
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
const table = ['advice', 'proven', 'agree', 'joined', 'held'].find((name) => args.includes(`--${name}`)) ?? 'quality'
if (args.includes('--write') && status === 0) {
  writeFileSync(join(root, 'docs', `${table}.md`), stdout)
  spawnSync('npx', ['biome', 'format', '--write', join('docs', `${table}.md`)], { cwd: root, stdio: 'ignore' })
}
process.exitCode = status ?? 1
