// Makes the demo's film, the museum's wall clock: draws it and has a browser code it. Run by hand; what comes of it is
// committed, since a start needs no browser. Needs Debian's Chromium: node scripts/film.mjs
import { readFileSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { chromium } from '@playwright/test'
import { bundled, root } from './bundle.mjs'

const source = 'src/core/demo/wallClock.ts'
const { WALL_CLOCK, wallClockAt, wallClockSound } = await import(
  pathToFileURL(await bundled(source, [source, 'src/core'])).href
)
const { channels, sampleRate } = wallClockSound()
const pictures = WALL_CLOCK.seconds * WALL_CLOCK.rate
const states = Array.from({ length: pictures }, (_, n) => wallClockAt(n))

// a page of a server of its own: coding needs a safe origin
const server = createServer((request, response) => {
  const isScript = request.url === '/mediabunny.mjs'
  response.setHeader('Content-Type', isScript ? 'text/javascript' : 'text/html')
  response.end(
    isScript ? readFileSync(join(root, 'node_modules/mediabunny/dist/bundles/mediabunny.min.mjs')) : '<!doctype html>',
  )
})
await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve))
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] })
try {
  const page = await browser.newPage()
  await page.goto(`http://127.0.0.1:${server.address().port}/`)
  const text = await page.evaluate(make, {
    ...WALL_CLOCK,
    states,
    sampleRate,
    samples: channels.map((channel) =>
      Buffer.from(channel.buffer, channel.byteOffset, channel.byteLength).toString('base64'),
    ),
  })
  const bytes = Buffer.from(text, 'base64')
  writeFileSync(join(root, 'src/core/demo/wall-clock.webm'), bytes)
  console.log(`src/core/demo/wall-clock.webm: ${pictures} pictures, ${bytes.length} bytes`)
} finally {
  await browser.close()
  server.close()
}

/** In the page: every picture drawn and coded, with the sound. */
async function make({ states, rate, width, height, sampleRate, samples }) {
  const { AudioSample, AudioSampleSource, BufferTarget, CanvasSource, Output, WebMOutputFormat } = await import(
    '/mediabunny.mjs'
  )
  const canvas = new OffscreenCanvas(width, height)
  const target = new BufferTarget()
  const output = new Output({ format: new WebMOutputFormat(), target })
  const video = new CanvasSource(canvas, { codec: 'vp9', bitrate: 90_000, keyFrameInterval: 2 })
  const audio = new AudioSampleSource({ codec: 'opus', bitrate: 48_000 })
  output.addVideoTrack(video, { frameRate: rate })
  output.addAudioTrack(audio)
  await output.start()
  const floats = samples.map((own) => new Float32Array(Uint8Array.from(atob(own), (c) => c.charCodeAt(0)).buffer))
  const planes = new Float32Array(floats.length * floats[0].length)
  for (const [n, plane] of floats.entries()) planes.set(plane, n * plane.length)
  const sound = new AudioSample({
    data: planes,
    format: 'f32-planar',
    numberOfChannels: floats.length,
    sampleRate,
    timestamp: 0,
  })
  await audio.add(sound)
  sound.close()
  for (const [n, state] of states.entries()) {
    draw(canvas.getContext('2d'), state)
    await video.add(n / rate, 1 / rate)
  }
  await output.finalize()
  let text = ''
  const bytes = new Uint8Array(target.buffer)
  for (let at = 0; at < bytes.length; at += 8192) text += String.fromCharCode(...bytes.subarray(at, at + 8192))
  return btoa(text)

  function draw(context, { hand, minutes, pendulum, shutter, lamps }) {
    const line = (angle, from, to, thick, colour) => {
      context.save()
      context.rotate(angle)
      context.fillStyle = colour
      context.fillRect(-thick / 2, -to, thick, to - from)
      context.restore()
    }
    context.fillStyle = '#2b3a45'
    context.fillRect(0, 0, width, height)
    context.fillStyle = '#22303a'
    context.fillRect(0, 150, width, 30)
    // the case
    context.fillStyle = '#5b4636'
    context.fillRect(40, 8, 104, 150)
    context.save()
    context.translate(92, 62)
    context.fillStyle = '#efe6d2'
    context.beginPath()
    context.arc(0, 0, 44, 0, 7)
    context.fill()
    for (let n = 0; n < 12; n++) line((n * Math.PI) / 6, 36, 41, n % 3 ? 2 : 4, '#3b2d22')
    line(2 * Math.PI * minutes, -6, 34, 3.5, '#3b2d22')
    line(2 * Math.PI * (0.08 + minutes / 12), -6, 22, 5, '#3b2d22')
    line(2 * Math.PI * hand, -9, 38, 1.8, '#b23a2e')
    context.restore()
    // pendulum
    context.save()
    context.translate(92, 106)
    context.rotate((-pendulum * Math.PI) / 180)
    context.fillStyle = '#c9a24b'
    context.fillRect(-1, 0, 2, 34)
    context.beginPath()
    context.arc(0, 38, 8, 0, 7)
    context.fill()
    context.restore()
    // the shutter, and the sea behind it
    context.fillStyle = '#6fb2c9'
    context.fillRect(186, 30, 96, 100)
    context.fillStyle = '#2f7d96'
    context.fillRect(186, 84, 96, 46)
    context.fillStyle = '#8a6a4d'
    context.fillRect(186, 30, 96, 100 * (1 - shutter))
    context.strokeStyle = '#3b2d22'
    context.lineWidth = 4
    context.strokeRect(186, 30, 96, 100)
    // lamps
    lamps.forEach((isLit, n) => {
      context.fillStyle = isLit ? '#ffffff' : '#000000'
      context.fillRect(176 + n * 13, 152, 12, 20)
    })
  }
}
