import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

/** Scripts of the built page that it asks for at once, each with what it imports in turn. */
export function scriptsOf(html, folder) {
  const names = readdirSync(folder).filter((name) => name.endsWith('.js'))
  const wanted = new Set(names.filter((name) => html.includes(name)))
  for (const name of wanted) {
    const text = readFileSync(join(folder, name), 'utf8')
    // what a script imports at once, not what it asks for later
    for (const other of names) {
      const own = other.replaceAll('.', '\\.')
      if (new RegExp(`(from|import)\\s*"\\./${own}"`).test(text)) wanted.add(other)
    }
  }
  return [...wanted]
}

/** Has the page ask for all of its scripts at once: what one imports is otherwise only asked for when that one is there. */
export const preloadScripts = () => ({
  name: 'preload-scripts',
  hooks: {
    'astro:build:done': ({ dir }) => {
      const client = fileURLToPath(dir)
      const page = join(client, 'index.html')
      if (!existsSync(page)) return
      const html = readFileSync(page, 'utf8')
      const links = scriptsOf(html, join(client, '_astro')).map(
        (name) => `<link rel="modulepreload" href="/_astro/${name}">`,
      )
      writeFileSync(page, html.replace('</head>', `${links.join('')}</head>`))
    },
  },
})
