const FIRST_ROOM = 1024;

/**
 * Numbers in a row that grows. A list of its own for each of hundreds of thousands of files would keep the collector of
 * garbage busy; here there is nothing for it to look through.
 */
export class Numbers {
  private values: Float64Array = new Float64Array(FIRST_ROOM);
  private count = 0;

  /** @param values is taken, not copied */
  static of(values: Float64Array): Numbers {
    const numbers = new Numbers();
    numbers.values = values;
    numbers.count = values.length;
    return numbers;
  }

  get length(): number {
    return this.count;
  }

  at(index: number): number {
    return this.values[index]!;
  }

  push(value: number): void {
    if (this.count === this.values.length) this.makeRoom(1);
    this.values[this.count++] = value;
  }

  /** Adds `[from, to)` of others. */
  append(others: Numbers, from: number, to: number): void {
    this.makeRoom(to - from);
    this.values.set(others.values.subarray(from, to), this.count);
    this.count += to - from;
  }

  sum(): number {
    let sum = 0;
    for (let index = 0; index < this.count; index++) sum += this.values[index]!;
    return sum;
  }

  /** The largest, or 0 where there is none. */
  largest(): number {
    let largest = 0;
    for (let index = 0; index < this.count; index++) largest = Math.max(largest, this.values[index]!);
    return largest;
  }

  /** As they lie in memory; they change with the row. */
  view(): Float64Array {
    return this.values.subarray(0, this.count);
  }

  private makeRoom(more: number): void {
    const needed = this.count + more;
    if (needed <= this.values.length) return;
    const larger = new Float64Array(Math.max(needed, 2 * this.values.length));
    larger.set(this.view());
    this.values = larger;
  }
}

/** Names one after the other, as the characters that they are made of. */
export class Names {
  private characters = new Uint16Array(16 * FIRST_ROOM);
  private readonly ends = new Numbers();

  get length(): number {
    return this.ends.length;
  }

  at(index: number): string {
    const from = index === 0 ? 0 : this.ends.at(index - 1);
    return String.fromCharCode.apply(null, this.characters.subarray(from, this.ends.at(index)) as unknown as number[]);
  }

  /** Code of the last character of a name; NaN of an empty one. */
  lastCode(index: number): number {
    const from = index === 0 ? 0 : this.ends.at(index - 1);
    const end = this.ends.at(index);
    return end > from ? this.characters[end - 1]! : NaN;
  }

  push(name: string): void {
    const start = this.taken;
    this.makeRoom(name.length);
    for (let at = 0; at < name.length; at++) this.characters[start + at] = name.charCodeAt(at);
    this.ends.push(start + name.length);
  }

  /** Adds `[from, to)` of others. */
  append(others: Names, from: number, to: number): void {
    if (to <= from) return;
    const first = from === 0 ? 0 : others.ends.at(from - 1);
    const last = others.ends.at(to - 1);
    const shift = this.taken - first;
    this.makeRoom(last - first);
    this.characters.set(others.characters.subarray(first, last), this.taken);
    for (let index = from; index < to; index++) this.ends.push(others.ends.at(index) + shift);
  }

  private get taken(): number {
    return this.length === 0 ? 0 : this.ends.at(this.length - 1);
  }

  private makeRoom(more: number): void {
    const needed = this.taken + more;
    if (needed <= this.characters.length) return;
    const larger = new Uint16Array(Math.max(needed, 2 * this.characters.length));
    larger.set(this.characters.subarray(0, this.taken));
    this.characters = larger;
  }
}
