import node from '@astrojs/node'
import react from '@astrojs/react'
import tailwindcss from '@tailwindcss/vite'
import { defineConfig, passthroughImageService } from 'astro/config'
import { keptOffline } from './scripts/offline.mjs'
import { preloadScripts } from './scripts/preload.mjs'
import { isolation } from './server/headers.mjs'

export default defineConfig({
  output: 'static',
  adapter: node({ mode: 'standalone' }),
  // what keeps the app lists all that the others wrote
  integrations: [react(), preloadScripts(), keptOffline()],
  // pictures of the guide go out as they are
  image: { service: passthroughImageService() },
  devToolbar: { enabled: false },
  server: { headers: isolation },
  build: { inlineStylesheets: 'never' },
  vite: {
    plugins: [tailwindcss()],
    build: { assetsInlineLimit: 0 },
    worker: { format: 'es' },
  },
})
