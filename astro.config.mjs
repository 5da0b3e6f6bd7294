import node from '@astrojs/node'
import react from '@astrojs/react'
import tailwindcss from '@tailwindcss/vite'
import { defineConfig } from 'astro/config'
import { preloadScripts } from './scripts/preload.mjs'
import { isolation } from './server/headers.mjs'

export default defineConfig({
  output: 'static',
  adapter: node({ mode: 'standalone' }),
  integrations: [react(), preloadScripts()],
  devToolbar: { enabled: false },
  server: { headers: isolation },
  build: { inlineStylesheets: 'never' },
  vite: {
    plugins: [tailwindcss()],
    build: { assetsInlineLimit: 0 },
    worker: { format: 'es' },
  },
})
