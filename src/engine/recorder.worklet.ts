/** Hands on what comes in, block by block; the page gathers it. */
class Recorder extends AudioWorkletProcessor {
  private channels: Float32Array[] = []
  private filled = 0
  private readonly size = 4096
  process(inputs: Float32Array[][]): boolean {
    const input = inputs[0]
    if (!input || input.length === 0) return true
    if (this.channels.length !== input.length) {
      this.channels = input.map(() => new Float32Array(this.size))
      this.filled = 0
    }
    const count = input[0]?.length ?? 0
    input.forEach((channel, c) => {
      this.channels[c]?.set(channel, this.filled)
    })
    this.filled += count
    if (this.filled >= this.size) {
      this.port.postMessage(this.channels)
      this.filled = 0
    }
    return true
  }
}

registerProcessor('recorder', Recorder as unknown as AudioWorkletProcessorConstructor)
