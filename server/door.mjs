// What is looked at before a request is let in: who is asked, how, and for what. All that this server has is read.
import { statSync } from 'node:fs'
import { join, normalize, sep } from 'node:path'

const LOOPBACK = ['localhost', '127.0.0.1', '[::1]']

/** Names that a request may call this server by: loopback, where it was told to listen, ZUMBET_HOSTS. */
export function allowedHosts({ HOST, ZUMBET_HOSTS } = {}) {
  const own = HOST && !['0.0.0.0', '::'].includes(HOST) ? [HOST.includes(':') ? `[${HOST}]` : HOST] : []
  const more = (ZUMBET_HOSTS ?? '').split(',').map((name) => name.trim())
  return new Set([...LOOPBACK, ...own, ...more].filter(Boolean).map((name) => name.toLowerCase()))
}

const refusal = (status, text, headers = {}) => ({
  status,
  headers: { 'Content-Type': 'text/plain; charset=utf-8', ...headers },
  body: `${text}\n`,
})

/**
 * Why a request is not let in, as an answer; undefined where it is.
 * @param hosts   from `allowedHosts`.
 * @param folder  where the files lie that can be asked for.
 */
export function refusalOf({ method, url, headers }, hosts, folder) {
  const host = headers.host?.replace(/:\d+$/, '').toLowerCase()
  if (host === undefined || !hosts.has(host))
    // a page elsewhere that gives its own name this address would otherwise read what is here
    return refusal(
      421,
      'This server answers to localhost. To let it answer to another name: ZUMBET_HOSTS=name npm start',
    )
  if (method !== 'GET' && method !== 'HEAD')
    return refusal(405, 'There is nothing here but to be read.', { Allow: 'GET, HEAD' })
  if (!url.startsWith('/')) return refusal(400, 'Ask for a path.')
  let path
  try {
    path = decodeURIComponent(url.split(/[?#]/, 1)[0])
  } catch {
    return refusal(400, 'This path makes no sense.')
  }
  const isHidden = [...path].some((letter) => letter.codePointAt(0) < 32 || letter === '\\')
  if (isHidden || path.split('/').includes('..')) return refusal(404, 'There is no such thing here.')
  // what comes with the framework, and is not used
  if (/^\/+_(?!astro\/)/.test(path)) return refusal(404, 'There is no such thing here.')
  if (headers.range === undefined) return undefined
  const size = sizeOf(folder, path)
  if (size === undefined || isSatisfiable(headers.range, size)) return undefined
  return refusal(416, 'There is no such part of it.', { 'Content-Range': `bytes */${size}` })
}

/** The bytes of a file that can be asked for; undefined where there is none. */
function sizeOf(folder, path) {
  const file = normalize(join(folder, path))
  if (!file.startsWith(folder + sep)) return undefined
  try {
    const stats = statSync(file)
    return stats.isFile() ? stats.size : undefined
  } catch {
    return undefined
  }
}

/** Whether any of the ranges lies in so many bytes. What is no range at all counts as none asked for. */
function isSatisfiable(range, size) {
  const list = /^\s*bytes\s*=(.*)$/i.exec(range)?.[1]
  if (list === undefined) return true
  return list.split(',').some((one) => {
    const [, from, to] = /^\s*(\d*)\s*-\s*(\d*)\s*$/.exec(one) ?? []
    if (from === undefined || (from === '' && to === '')) return false
    if (from === '') return Number(to) > 0 && size > 0
    return Number(from) < size && (to === '' || Number(to) >= Number(from))
  })
}
