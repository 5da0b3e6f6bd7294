// Serves the built app, with the headers that it needs, on the loopback unless HOST says otherwise.
import { createServer } from 'node:http'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { allowedHosts, refusalOf } from './door.mjs'
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
const client = join(root, 'dist', 'client')
const headers = allHeaders(client)
const hosts = allowedHosts(process.env)

const server = createServer(async (request, response) => {
  for (const [name, value] of Object.entries(headers)) response.setHeader(name, value)
  const refused = refusalOf(request, hosts, client)
  if (refused) {
    response.writeHead(refused.status, refused.headers)
    response.end(request.method === 'HEAD' ? undefined : refused.body)
    return
  }
  // files here never change, so these have nothing to guard; what serves the files stumbles over them
  for (const name of ['if-match', 'if-unmodified-since']) delete request.headers[name]
  try {
    await handler(request, response)
  } catch (error) {
    // nothing that a client sends should come here; what does is told to who runs the server, and ends nothing
    console.error(`${request.method} ${request.url}: ${error?.message ?? error}`)
    if (!response.headersSent) response.writeHead(400, { 'Content-Type': 'text/plain; charset=utf-8' })
    response.end()
  }
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
