import { readFileSync } from 'node:fs'
import { connect } from 'node:net'
import { createRandom } from '../src/core/dsp/random'
import { expect, test } from './bench'

/** The server as it is asked by what is no browser: raw requests over a socket. */

const SOUND = '/demo/gull-glide.wav'

/** Status, headers and body of one raw request; status 0 where the connection was only closed. */
function ask(port: number, raw: string): Promise<{ status: number; head: string; body: Buffer }> {
  return new Promise((resolve) => {
    const parts: Buffer[] = []
    // what is a request is answered while the line is open; what is none may wait for its end for ever
    const socket = connect(port, '127.0.0.1', () =>
      raw.endsWith('\r\n\r\n') ? socket.write(raw, 'latin1') : socket.end(raw, 'latin1'),
    )
    socket.setTimeout(3000, () => socket.destroy())
    socket.on('data', (part) => parts.push(part))
    socket.on('error', () => undefined)
    socket.on('close', () => {
      const all = Buffer.concat(parts)
      const at = all.indexOf('\r\n\r\n')
      const head = all.subarray(0, at < 0 ? all.length : at).toString('latin1')
      resolve({ status: Number(/^HTTP\/1\.\d (\d+)/.exec(head)?.[1] ?? 0), head, body: all.subarray(at + 4) })
    })
  })
}

const request = (path: string, lines: readonly string[] = [], method = 'GET', host = 'localhost') =>
  [`${method} ${path} HTTP/1.1`, ...(host ? [`Host: ${host}`] : []), 'Connection: close', ...lines, '', ''].join('\r\n')

test('the server answers to its own names, to reading, and for parts that there are', async ({ baseURL }) => {
  const port = Number(new URL(baseURL as string).port)
  const status = async (...of: Parameters<typeof request>) => (await ask(port, request(...of))).status
  for (const host of ['localhost', `127.0.0.1:${port}`, '[::1]', 'LOCALHOST:80'])
    expect(await status('/', [], 'GET', host), host).toBe(200)
  for (const host of ['evil.example', `evil.example:${port}`, 'localhost.evil.example', '127.0.0.1.evil.example', '0'])
    expect(await status('/', [], 'GET', host), host).toBe(421)
  for (const path of ['/', SOUND, '/api/methods', '/nothing'])
    for (const method of ['POST', 'PUT', 'DELETE', 'PATCH', 'OPTIONS', 'TRACE', 'PROPFIND'])
      expect(await status(path, [], method), `${method} ${path}`).toBe(405)
  for (const path of ['/', SOUND, '/api/methods']) expect(await status(path, [], 'HEAD'), path).toBe(200)
  for (const path of [
    '/_image',
    '/_image?href=/mark.svg&w=10&h=10&f=png',
    '/_server-islands/x',
    '/_actions/x',
    '//_image',
  ])
    expect(await status(path), path).toBe(404)
  for (const path of ['/%', '/%zz', '/%ff']) expect(await status(path), path).toBe(400)
  for (const path of ['/..%2f..%2fetc/passwd', '/../package.json', '/%00', '/demo/', '/demo/nothing.wav'])
    expect(await status(path), path).toBe(404)

  const whole = readFileSync(`dist/client${SOUND}`)
  for (const [range, expected] of [
    ['bytes=0-9', whole.subarray(0, 10)],
    [`bytes=${whole.length - 5}-`, whole.subarray(-5)],
    ['bytes=-7', whole.subarray(-7)],
    ['bytes=10-99999999999', whole.subarray(10)],
    ['lines=1-2', undefined],
    ['bytes=', 416],
    ['bytes=-0', 416],
    ['bytes=5-1', 416],
    ['bytes=99999999999-', 416],
    ['bytes=a-b', 416],
    [`bytes=${whole.length}-`, 416],
  ] as const) {
    const { status: got, head, body } = await ask(port, request(SOUND, [`Range: ${range}`]))
    if (expected === 416) {
      expect(got, range).toBe(416)
      expect(head).toContain(`bytes */${whole.length}`)
    } else {
      expect(got, range).toBe(expected ? 206 : 200)
      expect(body.equals(expected ?? whole), range).toBe(true)
    }
  }
})

test('nothing that can be sent is answered with a 500, or ends the server', async ({ baseURL }) => {
  const port = Number(new URL(baseURL as string).port)
  const random = createRandom(16)
  const pick = <T>(of: readonly T[]) => of[Math.floor(random() * of.length)] as T
  const noise = (count: number) =>
    Array.from({ length: count }, () => String.fromCharCode(Math.floor(random() * 256))).join('')
  const paths = [
    '/',
    SOUND,
    '/api/methods',
    '/_astro/x.js',
    '/mark.svg',
    '/%',
    '/a/../b',
    `/${'x'.repeat(7000)}`,
    '*',
    'http://x/',
  ]
  const names = [
    'Range',
    'If-Range',
    'If-Modified-Since',
    'If-None-Match',
    'Accept',
    'Accept-Encoding',
    'Cookie',
    'Content-Length',
    'Transfer-Encoding',
    'Origin',
    'Expect',
    'Upgrade',
    'Host',
    'X-Forwarded-Host',
    'X-Forwarded-Proto',
    'Forwarded',
    'If-Match',
    'If-Unmodified-Since',
  ]
  const values = [
    '',
    'x',
    '-1',
    'bytes=0-',
    'bytes=9-1,3-2',
    'Thu, 99 Foo 2026',
    '"tag',
    '*',
    'chunked',
    '99999999999999999999',
    'gzip;q=x',
    '%',
    '\u00ff\u00fe',
    'https',
    'a=b; c=%E0%A4%A',
  ]
  const seen = new Map<number, number>()
  for (let n = 0; n < 400; n++) {
    const path = random() < 0.2 ? `/${noise(20).replace(/[\r\n ]/g, '')}` : pick(paths)
    const lines = Array.from(
      { length: Math.floor(random() * 4) },
      () => `${pick(names)}: ${random() < 0.2 ? noise(12).replace(/[\r\n]/g, '') : pick(values)}`,
    )
    const raw = random() < 0.1 ? noise(200) : request(path, lines, pick(['GET', 'GET', 'HEAD', 'POST', 'BREW']))
    const { status } = await ask(port, raw)
    seen.set(status, (seen.get(status) ?? 0) + 1)
    expect(status, JSON.stringify(raw)).toBeLessThan(500)
  }
  expect(seen.get(200)).toBeGreaterThan(20)
  expect((await ask(port, request('/'))).status).toBe(200)
})
