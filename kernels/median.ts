// Medians of neighbouring windows over rows, sixteen columns at a time, by a program that says what to sort and in which order
// (src/core/kernels/sortingNetwork.ts); and what lays one row out so that its own neighbours stand in rows.
// Twins: ranksTwin and slidingMedianInto.

/** sixteen numbers */
const PLACE: usize = 64

// @ts-ignore: decorator
@inline
function place(places: usize, code: usize, n: usize): usize {
  return places + <usize>load<u16>(code + (n << 1))
}

// @ts-ignore: decorator
@inline
function rowAt(rows: usize, stride: usize, code: usize, n: usize): usize {
  return rows + (<usize>load<u16>(code + (n << 1))) * stride
}

/**
 * @param rows  `stride` bytes apart, of `columns` numbers (room for a multiple of 16)
 * @param program  16-bit numbers
 * @param places  64 bytes for each place
 * @param out  results, `outStride` bytes apart
 */
export function windowsOf(
  rows: usize,
  stride: usize,
  columns: i32,
  program: usize,
  places: usize,
  out: usize,
  outStride: usize,
): void {
  const bytes = (<usize>columns) << 2
  for (let at: usize = 0; at < bytes; at += PLACE) {
    const row = rows + at
    const to = out + at
    let code = program
    for (;;) {
      const kind = <i32>load<u16>(code)
      if (kind === 0) break
      const count = <i32>load<u16>(code, 2)
      code += 4
      if (kind === 1) code = quads(count, row, stride, places, code)
      else if (kind === 2) code = pairs(count, row, stride, places, code)
      else if (kind === 3) code = merges(count, places, code)
      else if (kind === 4) code = compares(count, places, code)
      else if (kind === 5) code = middles(count, places, row, stride, code, to, outStride)
      else if (kind === 8) code = sixes(count, row, stride, places, code)
      else if (kind === 9) code = eights(count, row, stride, places, code)
      else if (kind === 6) code = seconds(count, places, row, stride, code, to, outStride)
      else code = centres(count, places, code)
    }
  }
}

function sixes(count: i32, row: usize, stride: usize, places: usize, code: usize): usize {
  for (; count > 0; count--) {
    const from = rowAt(row, stride, code, 0)
    code += 2
    sortSix(from, stride, places, code)
    sortSix(from + 16, stride, places + 16, code)
    sortSix(from + 32, stride, places + 32, code)
    sortSix(from + 48, stride, places + 48, code)
    code += 12
  }
  return code
}

function eights(count: i32, row: usize, stride: usize, places: usize, code: usize): usize {
  for (; count > 0; count--) {
    const from = rowAt(row, stride, code, 0)
    code += 2
    sortEight(from, stride, places, code)
    sortEight(from + 16, stride, places + 16, code)
    sortEight(from + 32, stride, places + 32, code)
    sortEight(from + 48, stride, places + 48, code)
    code += 16
  }
  return code
}

/** Six rows, sorted by twelve comparisons. */
// @ts-ignore: decorator
@inline
function sortSix(row: usize, stride: usize, places: usize, code: usize): void {
  let t: v128
  let x0 = v128.load(row)
  let x1 = v128.load(row + stride)
  let x2 = v128.load(row + 2 * stride)
  let x3 = v128.load(row + 3 * stride)
  let x4 = v128.load(row + 4 * stride)
  let x5 = v128.load(row + 5 * stride)
  t = f32x4.pmin(x0, x5)
  x5 = f32x4.pmax(x0, x5)
  x0 = t
  t = f32x4.pmin(x1, x3)
  x3 = f32x4.pmax(x1, x3)
  x1 = t
  t = f32x4.pmin(x2, x4)
  x4 = f32x4.pmax(x2, x4)
  x2 = t
  t = f32x4.pmin(x1, x2)
  x2 = f32x4.pmax(x1, x2)
  x1 = t
  t = f32x4.pmin(x3, x4)
  x4 = f32x4.pmax(x3, x4)
  x3 = t
  t = f32x4.pmin(x0, x3)
  x3 = f32x4.pmax(x0, x3)
  x0 = t
  t = f32x4.pmin(x2, x5)
  x5 = f32x4.pmax(x2, x5)
  x2 = t
  t = f32x4.pmin(x0, x1)
  x1 = f32x4.pmax(x0, x1)
  x0 = t
  t = f32x4.pmin(x2, x3)
  x3 = f32x4.pmax(x2, x3)
  x2 = t
  t = f32x4.pmin(x4, x5)
  x5 = f32x4.pmax(x4, x5)
  x4 = t
  t = f32x4.pmin(x1, x2)
  x2 = f32x4.pmax(x1, x2)
  x1 = t
  t = f32x4.pmin(x3, x4)
  x4 = f32x4.pmax(x3, x4)
  x3 = t
  v128.store(place(places, code, 0), x0)
  v128.store(place(places, code, 1), x1)
  v128.store(place(places, code, 2), x2)
  v128.store(place(places, code, 3), x3)
  v128.store(place(places, code, 4), x4)
  v128.store(place(places, code, 5), x5)
}

/** Eight rows, sorted by nineteen. */
// @ts-ignore: decorator
@inline
function sortEight(row: usize, stride: usize, places: usize, code: usize): void {
  let t: v128
  let x0 = v128.load(row)
  let x1 = v128.load(row + stride)
  let x2 = v128.load(row + 2 * stride)
  let x3 = v128.load(row + 3 * stride)
  let x4 = v128.load(row + 4 * stride)
  let x5 = v128.load(row + 5 * stride)
  let x6 = v128.load(row + 6 * stride)
  let x7 = v128.load(row + 7 * stride)
  t = f32x4.pmin(x0, x2)
  x2 = f32x4.pmax(x0, x2)
  x0 = t
  t = f32x4.pmin(x1, x3)
  x3 = f32x4.pmax(x1, x3)
  x1 = t
  t = f32x4.pmin(x4, x6)
  x6 = f32x4.pmax(x4, x6)
  x4 = t
  t = f32x4.pmin(x5, x7)
  x7 = f32x4.pmax(x5, x7)
  x5 = t
  t = f32x4.pmin(x0, x4)
  x4 = f32x4.pmax(x0, x4)
  x0 = t
  t = f32x4.pmin(x1, x5)
  x5 = f32x4.pmax(x1, x5)
  x1 = t
  t = f32x4.pmin(x2, x6)
  x6 = f32x4.pmax(x2, x6)
  x2 = t
  t = f32x4.pmin(x3, x7)
  x7 = f32x4.pmax(x3, x7)
  x3 = t
  t = f32x4.pmin(x0, x1)
  x1 = f32x4.pmax(x0, x1)
  x0 = t
  t = f32x4.pmin(x2, x3)
  x3 = f32x4.pmax(x2, x3)
  x2 = t
  t = f32x4.pmin(x4, x5)
  x5 = f32x4.pmax(x4, x5)
  x4 = t
  t = f32x4.pmin(x6, x7)
  x7 = f32x4.pmax(x6, x7)
  x6 = t
  t = f32x4.pmin(x2, x4)
  x4 = f32x4.pmax(x2, x4)
  x2 = t
  t = f32x4.pmin(x3, x5)
  x5 = f32x4.pmax(x3, x5)
  x3 = t
  t = f32x4.pmin(x1, x4)
  x4 = f32x4.pmax(x1, x4)
  x1 = t
  t = f32x4.pmin(x3, x6)
  x6 = f32x4.pmax(x3, x6)
  x3 = t
  t = f32x4.pmin(x1, x2)
  x2 = f32x4.pmax(x1, x2)
  x1 = t
  t = f32x4.pmin(x3, x4)
  x4 = f32x4.pmax(x3, x4)
  x3 = t
  t = f32x4.pmin(x5, x6)
  x6 = f32x4.pmax(x5, x6)
  x5 = t
  v128.store(place(places, code, 0), x0)
  v128.store(place(places, code, 1), x1)
  v128.store(place(places, code, 2), x2)
  v128.store(place(places, code, 3), x3)
  v128.store(place(places, code, 4), x4)
  v128.store(place(places, code, 5), x5)
  v128.store(place(places, code, 6), x6)
  v128.store(place(places, code, 7), x7)
}

function quads(count: i32, row: usize, stride: usize, places: usize, code: usize): usize {
  for (; count > 0; count--) {
    quad(rowAt(row, stride, code, 0), stride, places, code + 2)
    code += 10
  }
  return code
}
function pairs(count: i32, row: usize, stride: usize, places: usize, code: usize): usize {
  for (; count > 0; count--) {
    const a = rowAt(row, stride, code, 0)
    compare(a, a + stride, place(places, code, 1), place(places, code, 2))
    code += 6
  }
  return code
}
function merges(count: i32, places: usize, code: usize): usize {
  for (; count > 0; count--) {
    merge(places, code)
    code += 32
  }
  return code
}
function compares(count: i32, places: usize, code: usize): usize {
  for (; count > 0; count--) {
    compare(place(places, code, 0), place(places, code, 1), place(places, code, 2), place(places, code, 3))
    code += 8
  }
  return code
}
function centres(count: i32, places: usize, code: usize): usize {
  for (; count > 0; count--) {
    centre(places, code)
    code += 40
  }
  return code
}
function middles(count: i32, places: usize, row: usize, stride: usize, code: usize, to: usize, outStride: usize): usize {
  for (; count > 0; count--) {
    middle(places, row, stride, code, to + (<usize>load<u16>(code, 14)) * outStride)
    code += 16
  }
  return code
}
function seconds(count: i32, places: usize, row: usize, stride: usize, code: usize, to: usize, outStride: usize): usize {
  for (; count > 0; count--) {
    second(places, row, stride, code, to + (<usize>load<u16>(code, 10)) * outStride)
    code += 12
  }
  return code
}

// @ts-ignore: decorator
@inline
function compare(a: usize, b: usize, low: usize, high: usize): void {
  const a0 = v128.load(a)
  const a1 = v128.load(a, 16)
  const a2 = v128.load(a, 32)
  const a3 = v128.load(a, 48)
  const b0 = v128.load(b)
  const b1 = v128.load(b, 16)
  const b2 = v128.load(b, 32)
  const b3 = v128.load(b, 48)
  v128.store(low, f32x4.pmin(a0, b0))
  v128.store(low, f32x4.pmin(a1, b1), 16)
  v128.store(low, f32x4.pmin(a2, b2), 32)
  v128.store(low, f32x4.pmin(a3, b3), 48)
  v128.store(high, f32x4.pmax(a0, b0))
  v128.store(high, f32x4.pmax(a1, b1), 16)
  v128.store(high, f32x4.pmax(a2, b2), 32)
  v128.store(high, f32x4.pmax(a3, b3), 48)
}

/** Four rows from `a` on, sorted. */
// @ts-ignore: decorator
@inline
function quad(a: usize, stride: usize, places: usize, code: usize): void {
  const b = a + stride
  const c = b + stride
  const d = c + stride
  const to0 = place(places, code, 0)
  const to1 = place(places, code, 1)
  const to2 = place(places, code, 2)
  const to3 = place(places, code, 3)
  quadPart(a, b, c, d, to0, to1, to2, to3)
  quadPart(a + 16, b + 16, c + 16, d + 16, to0 + 16, to1 + 16, to2 + 16, to3 + 16)
  quadPart(a + 32, b + 32, c + 32, d + 32, to0 + 32, to1 + 32, to2 + 32, to3 + 32)
  quadPart(a + 48, b + 48, c + 48, d + 48, to0 + 48, to1 + 48, to2 + 48, to3 + 48)
}

// @ts-ignore: decorator
@inline
function quadPart(
  a: usize,
  b: usize,
  c: usize,
  d: usize,
  to0: usize,
  to1: usize,
  to2: usize,
  to3: usize,
): void {
  const va = v128.load(a)
  const vb = v128.load(b)
  const vc = v128.load(c)
  const vd = v128.load(d)
  const ab = f32x4.pmin(va, vb)
  const ba = f32x4.pmax(va, vb)
  const cd = f32x4.pmin(vc, vd)
  const dc = f32x4.pmax(vc, vd)
  const x = f32x4.pmax(ab, cd)
  const y = f32x4.pmin(ba, dc)
  v128.store(to0, f32x4.pmin(ab, cd))
  v128.store(to1, f32x4.pmin(x, y))
  v128.store(to2, f32x4.pmax(x, y))
  v128.store(to3, f32x4.pmax(ba, dc))
}

/** Four sorted and four sorted, to eight: odd-even merge. */
// @ts-ignore: decorator
@inline
function merge(places: usize, code: usize): void {
  mergePart(places, code)
  mergePart(places + 16, code)
  mergePart(places + 32, code)
  mergePart(places + 48, code)
}

// @ts-ignore: decorator
@inline
function mergePart(own: usize, code: usize): void {
  const a0 = v128.load(place(own, code, 0))
  const a1 = v128.load(place(own, code, 1))
  const a2 = v128.load(place(own, code, 2))
  const a3 = v128.load(place(own, code, 3))
  const b0 = v128.load(place(own, code, 4))
  const b1 = v128.load(place(own, code, 5))
  const b2 = v128.load(place(own, code, 6))
  const b3 = v128.load(place(own, code, 7))
  // first and third of both, then second and fourth
  const p = f32x4.pmax(a0, b0)
  const q = f32x4.pmin(a2, b2)
  const e1 = f32x4.pmin(p, q)
  const e2 = f32x4.pmax(p, q)
  const e3 = f32x4.pmax(a2, b2)
  const r = f32x4.pmax(a1, b1)
  const s = f32x4.pmin(a3, b3)
  const o0 = f32x4.pmin(a1, b1)
  const o1 = f32x4.pmin(r, s)
  const o2 = f32x4.pmax(r, s)
  v128.store(place(own, code, 8), f32x4.pmin(a0, b0))
  v128.store(place(own, code, 9), f32x4.pmin(o0, e1))
  v128.store(place(own, code, 10), f32x4.pmax(o0, e1))
  v128.store(place(own, code, 11), f32x4.pmin(o1, e2))
  v128.store(place(own, code, 12), f32x4.pmax(o1, e2))
  v128.store(place(own, code, 13), f32x4.pmin(o2, e3))
  v128.store(place(own, code, 14), f32x4.pmax(o2, e3))
  v128.store(place(own, code, 15), f32x4.pmax(a3, b3))
}

/** The middle four of eight sorted and eight sorted: the odd-even merge, as far as these hang on it. */
// @ts-ignore: decorator
@inline
function centre(places: usize, code: usize): void {
  centrePart(places, code)
  centrePart(places + 16, code)
  centrePart(places + 32, code)
  centrePart(places + 48, code)
}

// @ts-ignore: decorator
@inline
function centrePart(own: usize, code: usize): void {
  // first, third, fifth and seventh of both: what will be fourth to sixth of these
  const a2 = v128.load(place(own, code, 2))
  const b2 = v128.load(place(own, code, 10))
  const a4 = v128.load(place(own, code, 4))
  const b4 = v128.load(place(own, code, 12))
  const e2 = f32x4.pmax(
    f32x4.pmax(v128.load(place(own, code, 0)), v128.load(place(own, code, 8))),
    f32x4.pmin(a4, b4),
  )
  const e3 = f32x4.pmax(a4, b4)
  const r = f32x4.pmax(a2, b2)
  const s = f32x4.pmin(v128.load(place(own, code, 6)), v128.load(place(own, code, 14)))
  const o1 = f32x4.pmin(r, s)
  const v3 = f32x4.pmin(o1, e2)
  const v4 = f32x4.pmax(o1, e2)
  const v5 = f32x4.pmin(f32x4.pmax(r, s), e3)
  // second, fourth, sixth and eighth: what will be third to fifth
  const a3 = v128.load(place(own, code, 3))
  const b3 = v128.load(place(own, code, 11))
  const a5 = v128.load(place(own, code, 5))
  const b5 = v128.load(place(own, code, 13))
  const p = f32x4.pmax(v128.load(place(own, code, 1)), v128.load(place(own, code, 9)))
  const q = f32x4.pmin(a5, b5)
  const w2 = f32x4.pmax(f32x4.pmin(a3, b3), f32x4.pmin(p, q))
  const x = f32x4.pmin(f32x4.pmax(a3, b3), f32x4.pmin(v128.load(place(own, code, 7)), v128.load(place(own, code, 15))))
  const y = f32x4.pmax(p, q)
  const w3 = f32x4.pmin(x, y)
  v128.store(place(own, code, 16), f32x4.pmax(w2, v3))
  v128.store(place(own, code, 17), f32x4.pmin(w3, v4))
  v128.store(place(own, code, 18), f32x4.pmax(w3, v4))
  v128.store(place(own, code, 19), f32x4.pmin(f32x4.pmax(x, y), v5))
}

/** Of seven values of which four are sorted, the fourth: the least of what could be the last of the four lowest. */
// @ts-ignore: decorator
@inline
function middle(places: usize, row: usize, stride: usize, code: usize, to: usize): void {
  const s0 = place(places, code, 0)
  const s1 = place(places, code, 1)
  const s2 = place(places, code, 2)
  const s3 = place(places, code, 3)
  const a = rowAt(row, stride, code, 4)
  const b = rowAt(row, stride, code, 5)
  const c = rowAt(row, stride, code, 6)
  middlePart(s0, s1, s2, s3, a, b, c, to)
  middlePart(s0 + 16, s1 + 16, s2 + 16, s3 + 16, a + 16, b + 16, c + 16, to + 16)
  middlePart(s0 + 32, s1 + 32, s2 + 32, s3 + 32, a + 32, b + 32, c + 32, to + 32)
  middlePart(s0 + 48, s1 + 48, s2 + 48, s3 + 48, a + 48, b + 48, c + 48, to + 48)
}

// @ts-ignore: decorator
@inline
function middlePart(s0: usize, s1: usize, s2: usize, s3: usize, a: usize, b: usize, c: usize, to: usize): void {
  const va = v128.load(a)
  const vb = v128.load(b)
  const vc = v128.load(c)
  const low = f32x4.pmin(va, vb)
  const high = f32x4.pmax(va, vb)
  const x = f32x4.pmin(high, vc)
  const none = f32x4.pmin(v128.load(s3), f32x4.pmax(v128.load(s2), f32x4.pmin(low, x)))
  const some = f32x4.pmin(
    f32x4.pmax(v128.load(s1), f32x4.pmax(low, x)),
    f32x4.pmax(v128.load(s0), f32x4.pmax(high, vc)),
  )
  v128.store(to, f32x4.pmin(none, some))
}

/** The second lowest of many of which the two lowest are known, and three more. */
// @ts-ignore: decorator
@inline
function second(places: usize, row: usize, stride: usize, code: usize, to: usize): void {
  const s0 = place(places, code, 0)
  const s1 = place(places, code, 1)
  const a = rowAt(row, stride, code, 2)
  const b = rowAt(row, stride, code, 3)
  const c = rowAt(row, stride, code, 4)
  secondPart(s0, s1, a, b, c, to)
  secondPart(s0 + 16, s1 + 16, a + 16, b + 16, c + 16, to + 16)
  secondPart(s0 + 32, s1 + 32, a + 32, b + 32, c + 32, to + 32)
  secondPart(s0 + 48, s1 + 48, a + 48, b + 48, c + 48, to + 48)
}

// @ts-ignore: decorator
@inline
function secondPart(s0: usize, s1: usize, a: usize, b: usize, c: usize, to: usize): void {
  const va = v128.load(a)
  const vb = v128.load(b)
  const low = f32x4.pmin(va, vb)
  const x = f32x4.pmin(f32x4.pmax(va, vb), v128.load(c))
  const lowest = f32x4.pmin(low, x)
  const next = f32x4.pmax(low, x)
  v128.store(to, f32x4.pmin(f32x4.pmin(v128.load(s1), next), f32x4.pmax(v128.load(s0), lowest)))
}

/**
 * The same along one row. It is cut into sixteen segments that overlap by what a window reaches, and laid out so that number n of
 * all segments is row n; after that, neighbours stand in rows.
 * @param row  numbers, from the first that the first window reaches; room for 16 × `segment` + `reached` + 4
 * @param segment  results in a segment, a multiple of `group`
 * @param reached  what a window reaches beyond its own result, both sides together
 * @param group  results that the program gives, a multiple of 4
 * @param laid  room for (`segment` + `reached` + 4) × 64 bytes
 * @param found  room for `segment` × 64 bytes
 * @param out  16 × `segment` results
 */
export function windowsAlong(
  row: usize,
  segment: i32,
  reached: i32,
  group: i32,
  program: usize,
  places: usize,
  laid: usize,
  found: usize,
  out: usize,
): void {
  const apart = (<usize>segment) << 2
  const rows = <usize>(segment + reached)
  for (let n: usize = 0; n < rows; n += 4) {
    const from = row + (n << 2)
    const to = laid + n * PLACE
    for (let four: usize = 0; four < 4; four++) turn(from + four * 4 * apart, apart, to + (four << 4), PLACE)
  }
  for (let done: i32 = 0; done < segment; done += group) {
    const at = (<usize>done) * PLACE
    windowsOf(laid + at, PLACE, 16, program, places, found + at, PLACE)
  }
  for (let n: usize = 0; n < <usize>segment; n += 4) {
    const to = out + (n << 2)
    const from = found + n * PLACE
    for (let four: usize = 0; four < 4; four++) turn(from + (four << 4), PLACE, to + four * 4 * apart, apart)
  }
}

/** Four times four numbers, rows to columns. */
// @ts-ignore: decorator
@inline
function turn(from: usize, apart: usize, to: usize, toApart: usize): void {
  const a = v128.load(from)
  const b = v128.load(from + apart)
  const c = v128.load(from + 2 * apart)
  const d = v128.load(from + 3 * apart)
  const ab = v128.shuffle<f32>(a, b, 0, 4, 1, 5)
  const cd = v128.shuffle<f32>(c, d, 0, 4, 1, 5)
  const abHigh = v128.shuffle<f32>(a, b, 2, 6, 3, 7)
  const cdHigh = v128.shuffle<f32>(c, d, 2, 6, 3, 7)
  v128.store(to, v128.shuffle<f32>(ab, cd, 0, 1, 4, 5))
  v128.store(to + toApart, v128.shuffle<f32>(ab, cd, 2, 3, 6, 7))
  v128.store(to + 2 * toApart, v128.shuffle<f32>(abHigh, cdHigh, 0, 1, 4, 5))
  v128.store(to + 3 * toApart, v128.shuffle<f32>(abHigh, cdHigh, 2, 3, 6, 7))
}
