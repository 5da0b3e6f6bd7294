import manifest from '../../package.json' with { type: 'json' }
import { amplitudeToDb, kernelsRun, methods, peakOf, soundSource } from '../core'
import { errorText } from '../host/errorText'
import { adviseMethod } from './advise'
import { analyseSounds } from './analyse'
import { places, readArguments, UsageError } from './args'
import { dbText, openSound, sourceOf } from './files'
import { fitSound } from './fit'
import { commandHelp, helpText } from './help'
import { writeLayers } from './layers'
import { measureSounds } from './measure'
import { render } from './render'
import { sweepSound } from './sweep'
import type { Terminal } from './terminal'
import { timeSound } from './time'

type Command = (words: readonly string[], terminal: Terminal) => Promise<void> | void

type Commands = Readonly<Record<string, Command>>

const all: Commands = {
  render,
  fit: fitSound,
  time: timeSound,
  analyse: analyseSounds,
  measure: measureSounds,
  advise: adviseMethod,
  sweep: sweepSound,
  layers: writeLayers,
  methods: listMethods,
  info,
}

/**
 * Run the command: results go to `out`, the rest to `err`. Returns the exit code.
 * @param more  commands that are not always loaded.
 */
export async function main(words: readonly string[], terminal: Terminal, more: Commands = {}): Promise<number> {
  const commands: Commands = { ...all, ...more }
  const { out, err } = terminal
  const [name, ...rest] = words
  const command = name !== undefined && Object.hasOwn(commands, name) ? commands[name] : undefined
  try {
    const flags = words.slice(0, words.includes('--') ? words.indexOf('--') : undefined)
    if (flags.includes('--help') || name === 'help') {
      const about = name === 'help' ? rest[0] : command && name
      if (about !== undefined && !Object.hasOwn(commandHelp, about))
        throw new UsageError(`there is no command "${about}"`)
      out(helpText(about))
      return 0
    }
    if (flags.includes('--version')) {
      out(`zumbet ${manifest.version}`)
      return 0
    }
    if (!command) throw new UsageError(name === undefined ? 'say what to do' : `there is no command "${name}"`)
    if (!kernelsRun())
      err('zumbet: this Node.js has no WebAssembly with SIMD: the work is done without it, several times slower.')
    await command(rest, terminal)
    return 0
  } catch (error) {
    if (error instanceof UsageError) {
      err(`zumbet: ${error.message}\n\n${helpText(command && name)}`)
      return 2
    }
    err(`zumbet: ${errorText(error)}`)
    return 1
  }
}

function listMethods(words: readonly string[], { out }: Terminal) {
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
      ledByHand: method.ledByHand === true,
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

const LOOK_FRAMES = 1 << 18

async function info(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, [], ['json'])
  const [input] = places(args, ['IN']) as [string]
  const sound = await openSound(input, err)
  const { container, depth, markers } = sound
  const source = soundSource(sourceOf(sound))
  const { frames, sampleRate, channelCount } = source
  let peak = 0
  for (let at = 0; at < frames; at += LOOK_FRAMES) {
    peak = Math.max(peak, peakOf(source.part(at, Math.min(frames, at + LOOK_FRAMES)).channels))
    progress(at / frames)
  }
  if (args.flag('json')) {
    out(
      JSON.stringify({
        file: input,
        container,
        frames,
        seconds: frames / sampleRate,
        sampleRate,
        channels: channelCount,
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
    `${input}: ${frames} frames, ${(frames / sampleRate).toFixed(3)} s, ${sampleRate} Hz, ${channelCount} channels, ${container}${depth ? ` ${depth.bits} bits${depth.float ? ' float' : ''}` : ''}, peak ${dbText(peak)} dBFS`,
  )
}
