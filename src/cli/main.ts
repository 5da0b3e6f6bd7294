import { amplitudeToDb, frameCount, kernelsRun, methods, peakOf } from '../core'
import { errorText } from '../host/errorText'
import { adviseMethod } from './advise'
import { analyseSounds } from './analyse'
import { places, readArguments, UsageError } from './args'
import { dbText, open } from './files'
import { fitSound } from './fit'
import { help } from './help'
import { writeLayers } from './layers'
import { measureSounds } from './measure'
import { render } from './render'
import { sweepSound } from './sweep'

/** Run the command: results go to `out`, the rest to `err`; returns the exit code. */
export async function main(
  words: readonly string[],
  out: (line: string) => void,
  err: (line: string) => void,
): Promise<number> {
  if (!kernelsRun())
    err('zumbet: this Node.js has no WebAssembly with SIMD: the work is done without it, several times slower.')
  try {
    const [command, ...rest] = words
    if (command === 'render') await render(rest, out, err)
    else if (command === 'methods') listMethods(rest, out)
    else if (command === 'info') await info(rest, out, err)
    else if (command === 'analyse') await analyseSounds(rest, out, err)
    else if (command === 'fit') await fitSound(rest, out, err)
    else if (command === 'measure') await measureSounds(rest, out, err)
    else if (command === 'advise') await adviseMethod(rest, out, err)
    else if (command === 'sweep') await sweepSound(rest, out, err)
    else if (command === 'layers') await writeLayers(rest, out, err)
    else if (command === '--help' || command === 'help') out(help)
    else throw new UsageError(command === undefined ? 'say what to do' : `there is no command "${command}"`)
    return 0
  } catch (error) {
    if (error instanceof UsageError) {
      err(`zumbet: ${error.message}\n\n${help}`)
      return 2
    }
    err(`zumbet: ${errorText(error)}`)
    return 1
  }
}

function listMethods(words: readonly string[], out: (line: string) => void) {
  const args = readArguments(words, [], ['json'])
  places(args, [])
  if (args.flag('json')) {
    const rows = methods.map((method) => ({
      id: method.id,
      family: method.family,
      label: method.label,
      use: method.use,
      needs: method.needs,
      exactSeek: method.exactSeek,
      tiesPitchToSpeed: method.tiesPitchToSpeed,
      latencyFrames: method.latencyFrames(
        Object.fromEntries(Object.entries(method.settings).map(([name, s]) => [name, s.default])),
        48_000,
      ),
      timesRealTime: method.timesRealTime,
      settings: Object.entries(method.settings).map(([name, setting]) => ({ name, ...setting })),
    }))
    out(JSON.stringify(rows, null, 2))
    return
  }
  for (const method of methods) {
    out(`${method.id.padEnd(10)} ${method.family.padEnd(10)} ${method.label}: ${method.use}`)
    for (const [name, s] of Object.entries(method.settings)) {
      const takes = s.type === 'number' ? `${s.min} to ${s.max} ${s.unit}` : s.options.map((o) => o.value).join(' | ')
      out(`  --set ${name}=${s.default}`.padEnd(36) + takes)
    }
  }
}

async function info(words: readonly string[], out: (line: string) => void, err: (line: string) => void) {
  const args = readArguments(words, [], ['json'])
  const [input] = places(args, ['IN']) as [string]
  const source = await open(input, err)
  const { audio, container, depth, markers } = source
  const frames = frameCount(audio)
  const peak = peakOf(audio.channels)
  if (args.flag('json')) {
    out(
      JSON.stringify({
        file: input,
        container,
        frames,
        seconds: frames / audio.sampleRate,
        sampleRate: audio.sampleRate,
        channels: audio.channels.length,
        depth: depth ? `${depth.bits}${depth.float ? 'f' : ''}` : null,
        peak,
        peakDb: peak > 0 ? amplitudeToDb(peak) : null,
        cues: markers.cues,
        loops: markers.loops,
      }),
    )
    return
  }
  out(
    `${input}: ${frames} frames, ${(frames / audio.sampleRate).toFixed(3)} s, ${audio.sampleRate} Hz, ${audio.channels.length} channels, ${container}${depth ? ` ${depth.bits} bits${depth.float ? ' float' : ''}` : ''}, peak ${dbText(peak)} dBFS`,
  )
}
