/** A rectangle of pixels `[x, x + width) × [y, y + height)`; may start left of or above the origin. */
export interface Window {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

export function isEmpty(window: Window): boolean {
  return window.width <= 0 || window.height <= 0;
}

export function pixelCount(window: Window): number {
  return isEmpty(window) ? 0 : window.width * window.height;
}

export function intersect(a: Window, b: Window): Window {
  const x = Math.max(a.x, b.x);
  const y = Math.max(a.y, b.y);
  return {
    x,
    y,
    width: Math.max(0, Math.min(a.x + a.width, b.x + b.width) - x),
    height: Math.max(0, Math.min(a.y + a.height, b.y + b.height) - y),
  };
}

/** The smallest window that holds both. */
export function union(a: Window, b: Window): Window {
  const x = Math.min(a.x, b.x);
  const y = Math.min(a.y, b.y);
  return {
    x,
    y,
    width: Math.max(a.x + a.width, b.x + b.width) - x,
    height: Math.max(a.y + a.height, b.y + b.height) - y,
  };
}

/** The window grown on every side. */
export function grow(window: Window, horizontal: number, vertical = horizontal): Window {
  return {
    x: window.x - horizontal,
    y: window.y - vertical,
    width: window.width + 2 * horizontal,
    height: window.height + 2 * vertical,
  };
}

/** Size of a length at a preview size, never less than one pixel: ⌈length · fraction⌉. */
export function scaledSize(length: number, fraction: number): number {
  // The products of 1/3 and lengths divisible by 3 land just above the whole number.
  return Math.max(1, Math.ceil(length * fraction - 1e-9));
}

/** An affine map (x, y) → (a·x + b·y + c, d·x + e·y + f). */
export type Affine = readonly [a: number, b: number, c: number, d: number, e: number, f: number];

export function isIdentity([a, b, c, d, e, f]: Affine): boolean {
  return a === 1 && b === 0 && c === 0 && d === 0 && e === 1 && f === 0;
}

/** @throws RangeError when the map is flat */
export function invert([a, b, c, d, e, f]: Affine): Affine {
  const determinant = a * e - b * d;
  if (determinant === 0) throw new RangeError("A flat map has no inverse");
  const [ia, ib, id, ie] = [e / determinant, -b / determinant, -d / determinant, a / determinant];
  return [ia, ib, -(ia * c + ib * f), id, ie, -(id * c + ie * f)];
}

/** The smallest window that holds the mapped window. */
export function mapWindow(window: Window, [a, b, c, d, e, f]: Affine): Window {
  const xs: number[] = [];
  const ys: number[] = [];
  for (const x of [window.x, window.x + window.width]) {
    for (const y of [window.y, window.y + window.height]) {
      xs.push(a * x + b * y + c);
      ys.push(d * x + e * y + f);
    }
  }
  const x = Math.floor(Math.min(...xs));
  const y = Math.floor(Math.min(...ys));
  return { x, y, width: Math.ceil(Math.max(...xs)) - x, height: Math.ceil(Math.max(...ys)) - y };
}
