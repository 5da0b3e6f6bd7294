import { createHash } from 'node:crypto'
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'

/** What shared memory asks for: on every answer, scripts and sounds included, or workers die without a word. */
const isolation = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
  'Cross-Origin-Resource-Policy': 'same-origin',
}

/**
 * All headers of the built server. Scripts and styles come from this server alone, and the few that the pages carry inline
 * are named by their hashes; wasm may be compiled (the file decoders), code from text may not.
 */
export function allHeaders(clientFolder) {
  const inline = { script: new Set(), style: new Set() }
  for (const page of pagesBelow(clientFolder)) {
    const text = readFileSync(page, 'utf8')
    for (const [, kind, attributes, body] of text.matchAll(/<(script|style)([^>]*)>([\s\S]*?)<\/\1>/g)) {
      if (!/\bsrc=/.test(attributes)) inline[kind].add(`'sha256-${createHash('sha256').update(body).digest('base64')}'`)
    }
  }
  const policy = {
    'default-src': ["'none'"],
    'script-src': ["'self'", "'wasm-unsafe-eval'", ...inline.script],
    // the encoder of M4A starts its worker from a text of its own
    'worker-src': ["'self'", 'blob:'],
    'style-src': ["'self'", ...inline.style],
    // what React and Radix set on single elements; no style sheet may be inline
    'style-src-attr': ["'unsafe-inline'"],
    'font-src': ["'self'"],
    'img-src': ["'self'", 'data:'],
    // an encoder's wasm lies in its script as text, which is read by way of a fetch: nothing leaves the machine
    'connect-src': ["'self'", 'data:'],
    'media-src': ["'self'", 'blob:'],
    'manifest-src': ["'self'"],
    'base-uri': ["'none'"],
    'form-action': ["'none'"],
    'frame-ancestors': ["'none'"],
  }
  return {
    ...isolation,
    'Content-Security-Policy': Object.entries(policy)
      .map(([name, values]) => `${name} ${values.join(' ')}`)
      .join('; '),
    'X-Content-Type-Options': 'nosniff',
    'Referrer-Policy': 'no-referrer',
    'Permissions-Policy': 'camera=(), geolocation=(), midi=(self), microphone=(self)',
  }
}

function* pagesBelow(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true, recursive: true })) {
    if (entry.isFile() && entry.name.endsWith('.html')) yield join(entry.parentPath ?? entry.path, entry.name)
  }
}
