// A Gaussian by three passes of an extended box filter (Gwosdek, Grewenig, Bruhn, Weickert 2011): integer
// radius r, weight 1 inside, weight alpha on the two taps at r + 1, so that any standard deviation is met
// exactly and an animated radius moves smoothly. The cost does not depend on the radius.

// Columns are filtered in strips this many pixels wide: eight cache lines a row keep the prefetcher busy
// and a strip of a 1080-row picture stays in the second-level cache.
const STRIP = 32;

/** out[i] = scale · (Σ in[i+1 … i+2r+1] + alpha · (in[i] + in[i+2r+2])), for i < count. */
// @ts-ignore: decorator
@inline
function boxPass(out: usize, input: usize, count: i32, r: i32, alpha: v128, scale: v128): void {
  let sum = f32x4.splat(0);
  const inner = 2 * r + 1;
  for (let k = 1; k <= inner; k++) sum = f32x4.add(sum, v128.load(input + ((<usize>k) << 4)));
  const far = (<usize>(inner + 1)) << 4;
  const end = out + ((<usize>count) << 4);
  while (out < end) {
    const first = v128.load(input);
    const last = v128.load(input + far);
    const edges = f32x4.mul(alpha, f32x4.add(first, last));
    v128.store(out, f32x4.mul(scale, f32x4.add(sum, edges)));
    // The difference is formed before it meets the running sum: one addition on the critical path.
    sum = f32x4.add(sum, f32x4.sub(last, v128.load(input, 16)));
    out += 16;
    input += 16;
  }
}

/**
 * Filters rows. dst is dw × h, src is sw × h; dst column 0 lies `spread` columns left of src column 0.
 * Outside src is transparent, or the edge pixel when `repeatEdge`.
 * `line` is scratch for 2 · (dw + 6·(r+1)) pixels.
 */
export function gaussianRows(
  dst: usize, dw: i32, src: usize, sw: i32, h: i32, spread: i32,
  r: i32, alpha: f32, line: usize, repeatEdge: bool,
): void {
  const step = r + 1;
  const pad = 3 * step;
  const padded = dw + 2 * pad;
  const a = line;
  const b = line + ((<usize>padded) << 4);
  const av = f32x4.splat(alpha);
  const taps = 2 * r + 1;
  const scale = f32x4.splat(<f32>1 / (<f32>taps + <f32>2 * alpha));
  const before = spread + pad;
  // src may reach past dst on either side: only the columns within the padded line are read.
  const first = max<i32>(0, -before);
  const last = min<i32>(sw, padded - before);
  const run = (<usize>(last - first)) << 4;
  for (let y = 0; y < h; y++) {
    const row = src + ((<usize>y * <usize>sw) << 4);
    const left = repeatEdge ? v128.load(row) : f32x4.splat(0);
    const right = repeatEdge ? v128.load(row + ((<usize>(sw - 1)) << 4)) : f32x4.splat(0);
    for (let i = 0; i < before; i++) v128.store(a + ((<usize>i) << 4), left);
    memory.copy(a + ((<usize>(before + first)) << 4), row + ((<usize>first) << 4), run);
    for (let i = before + last; i < padded; i++) v128.store(a + ((<usize>i) << 4), right);
    boxPass(b, a, dw + 4 * step, r, av, scale);
    boxPass(a, b, dw + 2 * step, r, av, scale);
    boxPass(dst + ((<usize>y * <usize>dw) << 4), a, dw, r, av, scale);
  }
}

/** The same box pass down a strip of `n` columns; both strips have a stride of STRIP pixels. */
// @ts-ignore: decorator
@inline
function stripPass(out: usize, outStride: usize, input: usize, n: i32, count: i32, r: i32, alpha: v128, scale: v128, sums: usize): void {
  const rowBytes: usize = STRIP << 4;
  const inner = 2 * r + 1;
  const far = (<usize>(inner + 1)) * rowBytes;
  for (let x = 0; x < n; x++) {
    let sum = f32x4.splat(0);
    let p = input + ((<usize>x) << 4) + rowBytes;
    for (let k = 1; k <= inner; k++) {
      sum = f32x4.add(sum, v128.load(p));
      p += rowBytes;
    }
    v128.store(sums + ((<usize>x) << 4), sum);
  }
  const width = (<usize>n) << 4;
  for (let y = 0; y < count; y++) {
    for (let x: usize = 0; x < width; x += 16) {
      const sum = v128.load(sums + x);
      const first = v128.load(input + x);
      const last = v128.load(input + far + x);
      v128.store(out + x, f32x4.mul(scale, f32x4.add(sum, f32x4.mul(alpha, f32x4.add(first, last)))));
      v128.store(sums + x, f32x4.add(sum, f32x4.sub(last, v128.load(input + rowBytes + x))));
    }
    input += rowBytes;
    out += outStride;
  }
}

/**
 * Filters columns. dst is w × dh, src is w × sh; dst row 0 lies `spread` rows above src row 0.
 * `strip` is scratch for (2 · (dh + 6·(r+1)) + 1) · 32 pixels. Columns from `left` to before `right`.
 */
export function gaussianColumns(
  dst: usize, dh: i32, src: usize, w: i32, sh: i32, spread: i32,
  r: i32, alpha: f32, strip: usize, repeatEdge: bool, left: i32, right: i32,
): void {
  const step = r + 1;
  const pad = 3 * step;
  const padded = dh + 2 * pad;
  const rowBytes: usize = STRIP << 4;
  const a = strip;
  const b = a + <usize>padded * rowBytes;
  const sums = b + <usize>padded * rowBytes;
  const av = f32x4.splat(alpha);
  const taps = 2 * r + 1;
  const scale = f32x4.splat(<f32>1 / (<f32>taps + <f32>2 * alpha));
  const before = spread + pad;
  const stride = (<usize>w) << 4;
  for (let x0 = left; x0 < right; x0 += STRIP) {
    const n = min<i32>(STRIP, right - x0);
    const bytes = (<usize>n) << 4;
    const column = src + ((<usize>x0) << 4);
    for (let y = 0; y < padded; y++) {
      const sy = y - before;
      const target = a + <usize>y * rowBytes;
      if (sy >= 0 && sy < sh) memory.copy(target, column + <usize>sy * stride, bytes);
      else if (repeatEdge) memory.copy(target, column + <usize>(sy < 0 ? 0 : sh - 1) * stride, bytes);
      else memory.fill(target, 0, bytes);
    }
    stripPass(b, rowBytes, a, n, dh + 4 * step, r, av, scale, sums);
    stripPass(a, rowBytes, b, n, dh + 2 * step, r, av, scale, sums);
    stripPass(dst + ((<usize>x0) << 4), stride, a, n, dh, r, av, scale, sums);
  }
}
