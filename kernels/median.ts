// Ranks of several rows, column by column: a sorting network, sixteen columns at a time, of which only what the asked ranks hang on is
// kept. Twin: ranksTwin in src/core/kernels/ranks.ts.
// Source  Batcher 1968, "Sorting networks and their applications" (merge exchange).

/**
 * @param rows  `count` rows, `stride` bytes apart, of `columns` numbers (room for a multiple of 16)
 * @param pairs  comparisons: byte offsets into `scratch` of two rows of 64 bytes, 32 bits each
 * @param scratch  64 bytes a row
 */
export function ranksOf(
  rows: usize,
  stride: usize,
  count: i32,
  columns: i32,
  pairs: usize,
  pairCount: i32,
  scratch: usize,
  rankA: i32,
  outA: usize,
  rankB: i32,
  outB: usize,
): void {
  const end = pairs + ((<usize>pairCount) << 3)
  const bytes = (<usize>columns) << 2
  for (let at: usize = 0; at < bytes; at += 64) {
    for (let n: usize = 0; n < <usize>count; n++) {
      const from = rows + n * stride + at
      const to = scratch + (n << 6)
      v128.store(to, v128.load(from))
      v128.store(to, v128.load(from, 16), 16)
      v128.store(to, v128.load(from, 32), 32)
      v128.store(to, v128.load(from, 48), 48)
    }
    for (let pair = pairs; pair < end; pair += 8) {
      const a = scratch + <usize>load<u32>(pair)
      const b = scratch + <usize>load<u32>(pair, 4)
      const a0 = v128.load(a)
      const a1 = v128.load(a, 16)
      const a2 = v128.load(a, 32)
      const a3 = v128.load(a, 48)
      const b0 = v128.load(b)
      const b1 = v128.load(b, 16)
      const b2 = v128.load(b, 32)
      const b3 = v128.load(b, 48)
      v128.store(a, f32x4.pmin(a0, b0))
      v128.store(a, f32x4.pmin(a1, b1), 16)
      v128.store(a, f32x4.pmin(a2, b2), 32)
      v128.store(a, f32x4.pmin(a3, b3), 48)
      v128.store(b, f32x4.pmax(a0, b0))
      v128.store(b, f32x4.pmax(a1, b1), 16)
      v128.store(b, f32x4.pmax(a2, b2), 32)
      v128.store(b, f32x4.pmax(a3, b3), 48)
    }
    const first = scratch + ((<usize>rankA) << 6)
    const second = scratch + ((<usize>rankB) << 6)
    for (let part: usize = 0; part < 64; part += 16) {
      v128.store(outA + at + part, v128.load(first + part))
      v128.store(outB + at + part, v128.load(second + part))
    }
  }
}
