import { AppError, type AudioBlock } from '../core'
import recorderUrl from './recorder.worklet.ts?worker&url'

export interface InputDevice {
  readonly id: string
  readonly label: string
}

/** An input for machines without one: a made-up tide gauge that hums and ticks. */
export const SIMULATED_INPUT: InputDevice = { id: 'simulated', label: 'Simulated input: tide gauge' }

export interface Recording {
  /** loudest sample since the last call, 0–1 */
  level(): number
  seconds(): number
  stop(): Promise<AudioBlock>
}

/** Inputs there are. Names come only once the page may listen. */
export async function inputDevices(): Promise<InputDevice[]> {
  const devices = await navigator.mediaDevices.enumerateDevices().catch(() => [])
  const inputs = devices
    .filter(({ kind, deviceId }) => kind === 'audioinput' && deviceId !== '')
    .map(({ deviceId, label }, i) => ({ id: deviceId, label: label || `Input ${i + 1}` }))
  return [...inputs, SIMULATED_INPUT]
}

/**
 * Record from an input until `stop`, unprocessed and at its own rate.
 * @throws {AppError} `record/refused` where the page may not listen, `record/no-input` where nothing is there.
 */
export async function startRecording(device: InputDevice): Promise<Recording> {
  const context = new AudioContext({ latencyHint: 'interactive' })
  await context.audioWorklet.addModule(recorderUrl)
  const simulated = device.id === SIMULATED_INPUT.id
  let stream: MediaStream | undefined
  let input: AudioNode
  if (simulated) input = tideGauge(context)
  else {
    stream = await openDevice(device).catch(async (error) => {
      await context.close()
      throw error
    })
    input = context.createMediaStreamSource(stream)
  }
  const node = new AudioWorkletNode(context, 'recorder', { numberOfOutputs: 0 })
  const parts: Float32Array[][] = []
  let frames = 0
  let peak = 0
  node.port.onmessage = ({ data }: MessageEvent<Float32Array[]>) => {
    parts.push(data)
    frames += data[0]?.length ?? 0
    for (const channel of data) for (const value of channel) peak = Math.max(peak, Math.abs(value))
  }
  input.connect(node)
  await context.resume()
  return {
    level() {
      const now = peak
      peak = 0
      return now
    },
    seconds: () => frames / context.sampleRate,
    async stop() {
      for (const track of stream?.getTracks() ?? []) track.stop()
      await context.close()
      const channels = Math.max(1, ...parts.map((part) => part.length))
      const audio = Array.from({ length: channels }, () => new Float32Array(frames))
      let at = 0
      for (const part of parts) {
        audio.forEach((channel, c) => {
          channel.set(part[Math.min(c, part.length - 1)] as Float32Array, at)
        })
        at += part[0]?.length ?? 0
      }
      return { sampleRate: context.sampleRate, channels: audio }
    },
  }
}

async function openDevice({ id, label }: InputDevice): Promise<MediaStream> {
  try {
    return await navigator.mediaDevices.getUserMedia({
      audio: { deviceId: { exact: id }, echoCancellation: false, noiseSuppression: false, autoGainControl: false },
    })
  } catch (error) {
    const refused = (error as DOMException).name === 'NotAllowedError'
    throw new AppError(refused ? 'record/refused' : 'record/no-input', { device: label }, error)
  }
}

/** A hum that drifts and a tick every half second. */
function tideGauge(context: AudioContext): AudioNode {
  const sum = new GainNode(context, { gain: 1 })
  const hum = new OscillatorNode(context, { frequency: 110, type: 'triangle' })
  hum.connect(new GainNode(context, { gain: 0.15 })).connect(sum)
  hum.start()
  const length = Math.round(context.sampleRate / 2)
  const tick = context.createBuffer(1, length, context.sampleRate)
  const samples = tick.getChannelData(0)
  for (let i = 0; i < 2000; i++)
    samples[i] = 0.5 * Math.exp(-i / 180) * Math.sin((2 * Math.PI * 2100 * i) / context.sampleRate)
  const ticks = new AudioBufferSourceNode(context, { buffer: tick, loop: true })
  ticks.connect(sum)
  ticks.start()
  return sum
}
