import { isMainThread } from 'node:worker_threads'
import { main } from './main'
import { services } from './services'
import { serve } from './threads'

if (isMainThread) {
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => process.exit(130))
  // whoever reads may stop early (`| head`): that is no failure
  process.stdout.on('error', () => process.exit(0))
  process.exitCode = await main(
    process.argv.slice(2),
    (line) => process.stdout.write(line.endsWith('\n') ? line : `${line}\n`),
    (line) => process.stderr.write(line.endsWith('\n') ? line : `${line}\n`),
  )
} else serve(services)
