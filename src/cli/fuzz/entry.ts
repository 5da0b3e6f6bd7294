import { once } from 'node:events'
import { availableParallelism } from 'node:os'
import { isMainThread, parentPort, Worker, workerData } from 'node:worker_threads'
import { brokenFile, wholeFiles } from './corpus'
import { type Outcome, tryFile } from './tryFile'

/**
 * `fuzz COUNT FIXTURES [--from N]` reads broken files of every kind, from fixed seeds, in threads with a limit of time.
 * It ends with 1 if one hangs, is refused without words, or comes in as what no sound can be.
 */

const LIMIT_MS = 20_000

interface Told {
  readonly n: number
  readonly kind: string
  readonly outcome: Outcome
}

async function main() {
  const [countText, folder, , fromText] = process.argv.slice(2) as [string, string, string?, string?]
  const count = Number(countText)
  const from = Number(fromText ?? 0)
  const counts = new Map<string, number>()
  const texts = new Map<string, string>()
  const wrong: string[] = []
  let next = from
  const serve = async (): Promise<void> => {
    let worker: Worker | undefined
    while (next < from + count) {
      const n = next++
      worker ??= new Worker(new URL(import.meta.url), { workerData: { folder } })
      worker.postMessage(n)
      const stop = new AbortController()
      const answer = await Promise.race([
        once(worker, 'message', { signal: stop.signal }).then(([told]) => told as Told),
        once(worker, 'exit', { signal: stop.signal }).then(() => 'ended'),
        new Promise<string>((resolve) => setTimeout(resolve, LIMIT_MS, 'hung').unref()),
      ]).catch((error) => `ended: ${error}`)
      stop.abort()
      if (typeof answer === 'string') {
        wrong.push(`${n}: ${answer}`)
        await worker.terminate()
        worker = undefined
        continue
      }
      const { kind, outcome } = answer
      const key = `${kind}\t${outcome.end}${outcome.code ? `\t${outcome.code}` : ''}`
      counts.set(key, (counts.get(key) ?? 0) + 1)
      if (outcome.text && !texts.has(outcome.code)) texts.set(outcome.code, outcome.text)
      if (outcome.wrong) wrong.push(`${n} ${kind}: ${outcome.wrong}`)
    }
    await worker?.terminate()
  }
  await Promise.all(Array.from({ length: Math.max(2, Math.min(4, availableParallelism())) }, serve))
  for (const [key, value] of [...counts].sort())
    console.log(`${String(value).padStart(6)}  ${key.replace(/\t/g, '  ')}`)
  console.log()
  for (const [code, text] of [...texts].sort()) console.log(`${code}: ${text}`)
  for (const one of wrong.slice(0, 40)) console.log(`WRONG ${one}`)
  console.log(`\n${count} broken files, ${wrong.length} wrong`)
  process.exitCode = wrong.length === 0 ? 0 : 1
}

function serveThread() {
  const whole = wholeFiles((workerData as { folder: string }).folder)
  parentPort?.on('message', async (n: number) => {
    const { kind, file, bytes } = brokenFile(whole, n)
    parentPort?.postMessage({ n, kind, outcome: await tryFile(bytes, file) } satisfies Told)
  })
}

if (isMainThread) await main()
else serveThread()
