import { needNode, needPackages, run, tool } from './setup.mjs'

needNode()
needPackages()
const { makeDemo } = await import('./demo.mjs')
await makeDemo()
process.exit(
  run(process.execPath, [tool('astro/astro.js'), 'dev', '--host', '127.0.0.1', '--port', process.env.PORT ?? '4601']),
)
