// Each part against the world it lives in: kernels in AssemblyScript's, core without DOM and without Node, the worklet in its own, then the rest.
import { run, tool } from './setup.mjs'

const tsc = tool('typescript/bin/tsc')
const projects = [
  'src/core',
  'kernels',
  'src/tsconfig.node.json',
  'src/engine/tsconfig.worklet.json',
  'tsconfig.json',
  'tsconfig.e2e.json',
  'src/tsconfig.tests.json',
]
let failed = 0
for (const project of projects) {
  if (run(process.execPath, [tsc, '-p', project]) !== 0) {
    console.error(`types: ${project} does not hold`)
    failed = 1
  }
}
// the pages, which tsc does not read
if (run(process.execPath, [tool('astro/astro.js'), 'check', '--minimumSeverity', 'warning']) !== 0) failed = 1
process.exitCode = failed
