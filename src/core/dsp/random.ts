/** A source of uniform numbers in [0, 1); the same seed gives the same sequence everywhere. */
export type Random = () => number

/**
 * A seeded generator for a run of draws.
 * Source  Vigna's SplitMix idea in 32 bits, with the finaliser of Wang/Ettinger ("mulberry32").
 */
export function createRandom(seed: number): Random {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    return mix(state) / 2 ** 32
  }
}

/**
 * One uniform draw in [0, 1) that depends on nothing but its three whole numbers: draw `slot` of item `index` under
 * `seed`. What is drawn this way can be asked for in any order, which is what makes seeking exact.
 */
export function drawAt(seed: number, index: number, slot: number): number {
  const own = hashOfDraws(seed, index)
  const h = mix((own ^ Math.imul(slot + 0x165667b1, 0x27d4eb2f)) >>> 0)
  return h / 2 ** 32
}

/** What all draws of an index start from. */
export function hashOfDraws(seed: number, index: number): number {
  const h = Math.imul(seed ^ 0x9e3779b9, 0x85ebca6b) >>> 0
  return mix((h ^ Math.imul(index + 0x7f4a7c15, 0xc2b2ae35)) >>> 0)
}

/** The draws of the first slots of an index, each as a whole number below 2^bits: what `drawAt` gives, many times as fast. */
export function fillDraws(out: Int32Array, seed: number, index: number, bits: number) {
  const own = hashOfDraws(seed, index)
  const shift = 32 - bits
  for (let slot = 0; slot < out.length; slot++) {
    const value = own ^ Math.imul(slot + 0x165667b1, 0x27d4eb2f)
    let t = Math.imul(value ^ (value >>> 15), value | 1)
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
    out[slot] = (t ^ (t >>> 14)) >>> shift
  }
}

function mix(value: number): number {
  let t = Math.imul(value ^ (value >>> 15), value | 1)
  t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
  return (t ^ (t >>> 14)) >>> 0
}

/** A standard normal draw (Box & Muller 1958). */
export function gaussian(random: Random): number {
  const u = 1 - random()
  return Math.sqrt(-2 * Math.log(u)) * Math.cos(2 * Math.PI * random())
}
