// Serves the built app, with the headers that it needs, on the loopback unless HOST says otherwise.
import { createServer } from 'node:http'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { allHeaders } from './headers.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const host = process.env.HOST || '127.0.0.1'
const port = Number(process.env.PORT || 4600)
if (!Number.isInteger(port) || port < 0 || port > 65535) {
  console.error(`PORT must be a whole number from 0 to 65535; "${process.env.PORT}" is not.`)
  process.exit(1)
}

process.env.ASTRO_NODE_AUTOSTART = 'disabled'
const { handler } = await import(join(root, 'dist', 'server', 'entry.mjs'))
const headers = allHeaders(join(root, 'dist', 'client'))

const server = createServer((request, response) => {
  for (const [name, value] of Object.entries(headers)) response.setHeader(name, value)
  handler(request, response)
})
server.on('error', (error) => {
  if (error.code === 'EADDRINUSE')
    console.error(`Port ${port} is taken. Stop what runs there, or start with another: PORT=${port + 1} npm start`)
  else if (error.code === 'EACCES')
    console.error(`Port ${port} may not be used by you. Start with another: PORT=4600 npm start`)
  else if (error.code === 'EADDRNOTAVAIL' || error.code === 'ENOTFOUND')
    console.error(`There is no address ${host} on this machine. Set HOST to another, or leave it out.`)
  else console.error(`The server could not start: ${error.message}`)
  process.exit(1)
})
server.listen(port, host, () => {
  const at = server.address()
  console.log(`Zumbet is at http://${host.includes(':') ? `[${host}]` : host}:${at.port}/`)
})
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => process.exit(0))
