// Keeps the app as it was built, so that it opens and works without its server. The build fills in what is to be kept.
const CACHE = 'zumbet __VERSION__'
const PATHS = JSON.parse('__PATHS__')

self.addEventListener('install', (event) => {
  const all = async () => {
    const cache = await caches.open(CACHE)
    await cache.addAll(PATHS.map((path) => new Request(path, { cache: 'no-cache' })))
  }
  event.waitUntil(all())
})

// a newer worker takes over when no window of the older app is open: scripts of two builds never mix
self.addEventListener('activate', (event) => {
  const all = async () => {
    for (const name of await caches.keys()) if (name !== CACHE) await caches.delete(name)
    await self.clients.claim()
  }
  event.waitUntil(all())
})

const kept = async (path) => (await caches.open(CACHE)).match(path)

self.addEventListener('fetch', (event) => {
  const { request } = event
  const { origin, pathname } = new URL(request.url)
  // a part of a file is the server's to cut
  if (request.method !== 'GET' || origin !== self.location.origin || request.headers.has('range')) return
  // these names change with what they hold
  if (pathname.startsWith('/_astro/')) {
    event.respondWith(kept(pathname).then((found) => found ?? fetch(request)))
    return
  }
  const newest = async () => {
    try {
      return await fetch(request)
    } catch (error) {
      const found = (await kept(pathname)) ?? (request.mode === 'navigate' ? await kept(`${pathname}/`) : undefined)
      if (found) return found
      throw error
    }
  }
  event.respondWith(newest())
})
