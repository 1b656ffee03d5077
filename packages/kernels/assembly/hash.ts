/**
 * Takes whole blocks of 16 bytes into a check of content: four lanes of xor and multiply, as in FNV-1a (Fowler, Noll,
 * Vo). `lanes` holds their state, before and after.
 */
export function hashBlocks(lanes: usize, src: usize, end: usize): void {
  let a = load<i32>(lanes);
  let b = load<i32>(lanes, 4);
  let c = load<i32>(lanes, 8);
  let d = load<i32>(lanes, 12);
  for (; src < end; src += 16) {
    a = (a ^ load<i32>(src)) * 0x01000193;
    b = (b ^ load<i32>(src, 4)) * 0x01000193;
    c = (c ^ load<i32>(src, 8)) * 0x01000193;
    d = (d ^ load<i32>(src, 12)) * 0x01000193;
    // A change in the highest bits alone has to reach the low ones too.
    a ^= <i32>(<u32>d >>> 15);
  }
  store<i32>(lanes, a);
  store<i32>(lanes, b, 4);
  store<i32>(lanes, c, 8);
  store<i32>(lanes, d, 12);
}
