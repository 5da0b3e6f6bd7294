// Builds the kernels (AssemblyScript, in /kernels) into src/core/kernels/module.generated.ts, which is committed, so that
// nothing but a change of them needs the compiler. With --check: says whether the committed module is what the sources make.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { root } from './bundle.mjs'
import { run, tool } from './setup.mjs'

/** pages of 64 KB; a fixed size, since memory that grows takes all views with it */
const PAGES = '704'
const target = join(root, 'src/core/kernels/module.generated.ts')

const built = build()
const module = `// Made by scripts/kernels.mjs from /kernels. Not to be changed by hand.
export const moduleBase64 =
  '${built.toString('base64')}'
`
if (process.argv.includes('--check')) {
  if (readFileSync(target, 'utf8') !== module) {
    console.error('The committed kernels are not what /kernels makes. Run: node scripts/kernels.mjs')
    process.exitCode = 1
  }
} else {
  writeFileSync(target, module)
  console.log(`Kernels: ${built.length} bytes.`)
}

function build() {
  mkdirSync(join(root, '.cache'), { recursive: true })
  const file = join(root, '.cache/kernels.wasm')
  const done = run(process.execPath, [
    tool('assemblyscript/bin/asc.js'),
    join(root, 'kernels/index.ts'),
    ...['-O3', '--noAssert', '--runtime', 'stub', '--enable', 'simd'],
    ...['--memoryBase', '1024', '--initialMemory', PAGES, '--maximumMemory', PAGES, '--outFile', file],
  ])
  if (done !== 0) throw new Error('The kernels could not be built.')
  return readFileSync(file)
}
