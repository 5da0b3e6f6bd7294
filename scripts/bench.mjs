import { bundled } from './bundle.mjs'
import { needNode, needPackages, run } from './setup.mjs'

needNode()
needPackages()
process.exit(run(process.execPath, [await bundled('src/cli/bench.ts', ['src/cli/bench.ts', 'src/core'])]))
