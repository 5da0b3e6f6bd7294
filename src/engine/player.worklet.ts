import { openRing, playBlock, type Ring, type RingMemory } from './ring'

class Player extends AudioWorkletProcessor {
  private readonly ring: Ring
  constructor(options: { processorOptions: RingMemory }) {
    super()
    this.ring = openRing(options.processorOptions)
  }
  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const out = outputs[0]
    if (out?.[0] && out[1]) playBlock(this.ring, out[0], out[1])
    return true
  }
}

registerProcessor('player', Player as unknown as AudioWorkletProcessorConstructor)
