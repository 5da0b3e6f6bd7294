// Each part against the world it lives in: kernels in AssemblyScript's, core without DOM and without Node, the worklet in its own, tests,
// then the page with what only Astro reads. Two at a time, or as many as --at-once says.
import { inOrder, tool } from './setup.mjs'

const tsc = tool('typescript/bin/tsc')
const projects = [
  'src/core',
  'kernels',
  'src/tsconfig.node.json',
  'src/engine/tsconfig.worklet.json',
  'tsconfig.tests.json',
]
const checks = [
  // it takes longest, so it starts first: everything of tsconfig.json, and the pages
  { name: 'tsconfig.json', words: [tool('astro/astro.js'), 'check', '--minimumSeverity', 'warning'] },
  ...projects.map((project) => ({ name: project, words: [tsc, '-p', project] })),
]
const asked = process.argv.indexOf('--at-once')
const atOnce = asked > 0 ? Number(process.argv[asked + 1]) : 2

let failed = 0
for await (const { name, status, output } of inOrder(checks, atOnce)) {
  if (status === 0) continue
  console.error(`${output}\ntypes: ${name} does not hold`)
  failed = 1
}
process.exitCode = failed
