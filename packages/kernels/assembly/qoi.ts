// QOI, "The Quite OK Image Format" (D. Szablewski, specification 1.0, 2022): the chunks between header and padding.

const SEEN = memory.data(256, 16);
const OPAQUE_BLACK: u32 = 0xff000000;

// @ts-ignore: decorator
@inline
function slot(pixel: u32): u32 {
  return ((pixel & 255) * 3 + ((pixel >> 8) & 255) * 5 + ((pixel >> 16) & 255) * 7 + (pixel >> 24) * 11) & 63;
}

// @ts-ignore: decorator
@inline
function remember(pixel: u32): void {
  store<u32>(SEEN + (slot(pixel) << 2), pixel);
}

/**
 * Unpacks chunks into pixels.
 * @param dst `count` pixels of four bytes
 * @param src chunks @param length of them in bytes, the padding left out; eight more bytes can be read
 * @returns pixels that were there: fewer than `count` when the chunks end early
 */
export function qoiUnpack(dst: usize, src: usize, length: i32, count: i32): i32 {
  memory.fill(SEEN, 0, 256);
  let pixel = OPAQUE_BLACK;
  let at = src;
  const end = src + <usize>length;
  let out = dst;
  const stop = dst + ((<usize>count) << 2);
  while (out < stop) {
    if (at >= end) return <i32>((out - dst) >> 2);
    const tag = <u32>load<u8>(at++);
    if (tag >= 0xc0 && tag < 0xfe) {
      remember(pixel);
      let last = out + (((tag & 63) + 1) << 2);
      if (last > stop) last = stop;
      while (out < last) {
        store<u32>(out, pixel);
        out += 4;
      }
      continue;
    }
    if (tag < 0x40) {
      pixel = load<u32>(SEEN + (tag << 2));
      store<u32>(out, pixel);
      out += 4;
      continue;
    }
    if (tag < 0xc0) {
      let dr: u32, dg: u32, db: u32;
      if (tag < 0x80) {
        dr = ((tag >> 4) & 3) - 2;
        dg = ((tag >> 2) & 3) - 2;
        db = (tag & 3) - 2;
      } else {
        const second = <u32>load<u8>(at++);
        dg = (tag & 63) - 32;
        dr = dg + (second >> 4) - 8;
        db = dg + (second & 15) - 8;
      }
      pixel =
        (pixel & OPAQUE_BLACK) |
        ((pixel + dr) & 255) |
        ((((pixel >> 8) + dg) & 255) << 8) |
        ((((pixel >> 16) + db) & 255) << 16);
    } else if (tag === 0xfe) {
      pixel = (load<u32>(at) & 0xffffff) | (pixel & OPAQUE_BLACK);
      at += 3;
    } else {
      pixel = load<u32>(at);
      at += 4;
    }
    remember(pixel);
    store<u32>(out, pixel);
    out += 4;
  }
  // The last chunk may have reached beyond the end.
  return at > end ? count - 1 : count;
}

/**
 * Packs pixels into chunks.
 * @param dst five bytes a pixel are enough @returns bytes written
 */
export function qoiPack(dst: usize, src: usize, count: i32): i32 {
  memory.fill(SEEN, 0, 256);
  let previous = OPAQUE_BLACK;
  let run: u32 = 0;
  let at = dst;
  let from = src;
  const end = src + ((<usize>count) << 2);
  for (; from < end; from += 4) {
    const pixel = load<u32>(from);
    if (pixel === previous) {
      if (++run === 62) {
        store<u8>(at++, 0xc0 | 61);
        run = 0;
      }
      continue;
    }
    if (run > 0) {
      store<u8>(at++, <u8>(0xc0 | (run - 1)));
      run = 0;
    }
    const index = slot(pixel);
    const known = load<u32>(SEEN + (index << 2));
    if (known === pixel) {
      store<u8>(at++, <u8>index);
      previous = pixel;
      continue;
    }
    store<u32>(SEEN + (index << 2), pixel);
    if (pixel >> 24 !== previous >> 24) {
      store<u8>(at, 0xff);
      store<u32>(at + 1, pixel);
      at += 5;
      previous = pixel;
      continue;
    }
    // Differences wrap around at 8 bits, sign-extended.
    const dr = <i32>(<i8>((pixel & 255) - (previous & 255)));
    const dg = <i32>(<i8>(((pixel >> 8) & 255) - ((previous >> 8) & 255)));
    const db = <i32>(<i8>(((pixel >> 16) & 255) - ((previous >> 16) & 255)));
    const rg = dr - dg;
    const bg = db - dg;
    if (dr >= -2 && dr <= 1 && dg >= -2 && dg <= 1 && db >= -2 && db <= 1) {
      store<u8>(at++, <u8>(0x40 | ((dr + 2) << 4) | ((dg + 2) << 2) | (db + 2)));
    } else if (dg >= -32 && dg <= 31 && rg >= -8 && rg <= 7 && bg >= -8 && bg <= 7) {
      store<u8>(at, <u8>(0x80 | (dg + 32)));
      store<u8>(at + 1, <u8>(((rg + 8) << 4) | (bg + 8)));
      at += 2;
    } else {
      store<u32>(at, ((pixel & 0xffffff) << 8) | 0xfe);
      at += 4;
    }
    previous = pixel;
  }
  if (run > 0) store<u8>(at++, <u8>(0xc0 | (run - 1)));
  return <i32>(at - dst);
}
