/** The n-th of as many keys as a test likes. */
export function keyOf(n: number): string {
  return n.toString(16).padStart(32, "0");
}
