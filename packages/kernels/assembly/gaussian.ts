// A Gaussian by three passes of an extended box filter (Gwosdek, Grewenig, Bruhn, Weickert 2011): integer
// radius r, weight 1 inside, weight alpha on the two taps at r + 1, so that any standard deviation is met
// exactly and an animated radius moves smoothly. The cost does not depend on the radius.


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

/** A row that is within its box's reach of the first row given: it is held, and weighs 1 unless it is the first. */
// @ts-ignore: decorator
@inline
function gather(held: usize, sum: usize, value: v128, weighs: bool): void {
  v128.store(held, value);
  if (weighs) v128.store(sum, f32x4.add(v128.load(sum), value));
}

/** One pixel of the same box pass down a column. `held` is the oldest of the pixels in its box, and makes room for the newest. */
// @ts-ignore: decorator
@inline
function columnStep(held: usize, next: usize, sum: usize, value: v128, alpha: v128, scale: v128): v128 {
  const first = v128.load(held);
  const inner = v128.load(sum);
  v128.store(held, value);
  v128.store(sum, f32x4.add(inner, f32x4.sub(value, v128.load(next))));
  return f32x4.mul(scale, f32x4.add(inner, f32x4.mul(alpha, f32x4.add(first, value))));
}

/**
 * Takes the next row of a strip through three passes, so that a picture is read once and written once. Each pass holds
 * the rows that its box reaches in a ring, and the sum of those that weigh 1; what lies between stays in the first-level
 * cache. The rings lie row by row beside each other: a load is then never taken for one of what was just stored at the
 * same place of another page.
 * @param full how many of the passes have all rows that their box reaches; the next one gathers, and none writes before 3
 * @param held the oldest row of the first ring, and `next` the row after that
 */
// @ts-ignore: decorator
@inline
function stripRow(
  full: i32, weighs: bool, out: usize, input: usize, width: usize,
  held: usize, next: usize, sums: usize, rowBytes: usize, alpha: v128, scale: v128,
): void {
  for (let x: usize = 0; x < width; x += 16) {
    let value = v128.load(input + x);
    let old = held + x;
    let second = next + x;
    let sum = sums + x;
    if (full == 0) gather(old, sum, value, weighs);
    else {
      value = columnStep(old, second, sum, value, alpha, scale);
      old += rowBytes;
      second += rowBytes;
      sum += rowBytes;
      if (full == 1) gather(old, sum, value, weighs);
      else {
        value = columnStep(old, second, sum, value, alpha, scale);
        old += rowBytes;
        second += rowBytes;
        sum += rowBytes;
        if (full == 2) gather(old, sum, value, weighs);
        else v128.store(out + x, columnStep(old, second, sum, value, alpha, scale));
      }
    }
  }
}

/**
 * Filters columns. dst is w × dh, src is w × sh; dst row 0 lies `spread` rows above src row 0.
 * Columns from `left` to before `right`, in strips of `wide`.
 * `strip` is scratch for (6 · (r+1) + 4) · wide pixels.
 */
export function gaussianColumns(
  dst: usize, dh: i32, src: usize, w: i32, sh: i32, spread: i32,
  r: i32, alpha: f32, strip: usize, wide: i32, repeatEdge: bool, left: i32, right: i32,
): void {
  const reach = 2 * (r + 1);
  const padded = dh + 3 * reach;
  const rowBytes = (<usize>wide) << 4;
  const slot: usize = 3 * rowBytes;
  const sums = strip + <usize>reach * slot;
  const transparent = sums + 3 * rowBytes;
  const av = f32x4.splat(alpha);
  const taps = 2 * r + 1;
  const scale = f32x4.splat(<f32>1 / (<f32>taps + <f32>2 * alpha));
  const before = spread + 3 * (r + 1);
  const stride = (<usize>w) << 4;
  for (let x0 = left; x0 < right; x0 += wide) {
    const width = (<usize>min<i32>(wide, right - x0)) << 4;
    const column = src + ((<usize>x0) << 4);
    memory.fill(sums, 0, 4 * rowBytes);
    let out = dst + ((<usize>x0) << 4);
    let held = strip;
    for (let y = 0; y < padded; y++) {
      const sy = y - before;
      const isInside = sy >= 0 && sy < sh;
      const input = isInside || repeatEdge ? column + <usize>min<i32>(max<i32>(sy, 0), sh - 1) * stride : transparent;
      const after = held + slot;
      const next = after == sums ? strip : after;
      const weighs = held != strip;
      if (y < reach) stripRow(0, weighs, out, input, width, held, next, sums, rowBytes, av, scale);
      else if (y < 2 * reach) stripRow(1, weighs, out, input, width, held, next, sums, rowBytes, av, scale);
      else if (y < 3 * reach) stripRow(2, weighs, out, input, width, held, next, sums, rowBytes, av, scale);
      else {
        stripRow(3, weighs, out, input, width, held, next, sums, rowBytes, av, scale);
        out += stride;
      }
      held = next;
    }
  }
}
