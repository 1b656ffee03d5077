import { DEFAULT_LOCATION_SETTINGS } from "@kinetocache/core";
import { nodeKernels } from "../../../../../testing/renderer";
import { keyOf } from "../../../../../testing/keys";
import { MemoryFolder } from "../../../../../testing/memoryFolder";
import { DepthConverter } from "../depthConverter";
import { FrameCodec } from "../frameCodec";
import { BrowserDisk } from "./browserDisk";
import { ContentHash } from "./contentHash";

/** Storage of one browser: a file is open for one tab at a time. */
class Browser {
  private readonly folder = Object.assign(new MemoryFolder(), { isExclusive: true });

  get files() {
    return this.folder.files;
  }

  disk(): BrowserDisk {
    const place = { openFolder: () => Promise.resolve(this.folder), freeBytes: () => Promise.resolve(2 ** 30) };
    const kernels = nodeKernels();
    return new BrowserDisk(place, new FrameCodec(new DepthConverter(kernels)), new ContentHash(kernels));
  }

  closeTabs(): void {
    this.folder.closeAll();
  }
}

const pixels = Uint8Array.from({ length: 64 * 36 * 4 }, (_, i) => (i * 11) & 255);
const picture = { width: 64, height: 36, depth: "8-bit" as const, pixels };
const target = { location: "browser", packing: "plain" as const, deepest: "float" as const };
const frame = (n: number, owner = "night-roost") => ({ key: keyOf(n), owner, costMs: 80, picture });

test("frames stay over a restart of the browser, with the settings", async () => {
  const browser = new Browser();
  const first = browser.disk();
  expect(await first.store(frame(1), target)).toMatchObject({ ok: true });
  await first.change({ capBytes: 2 ** 26, packing: "packed" });
  browser.closeTabs();
  const second = browser.disk();
  expect(await second.list()).toEqual({
    ok: true,
    value: { frames: [{ location: "browser", frames: [[keyOf(1), 80]] }], targets: [{ ...target, packing: "packed" }] },
  });
  const fetched = await second.fetch(keyOf(1));
  expect(fetched.ok && Buffer.compare(fetched.value.pixels, pixels)).toBe(0);
  expect(await second.state()).toMatchObject({
    condition: { kind: "open" },
    frames: 1,
    settings: { ...DEFAULT_LOCATION_SETTINGS, capBytes: 2 ** 26, packing: "packed" },
  });
});

test("a second tab is told that another one has it, and has it once that is closed", async () => {
  const browser = new Browser();
  await browser.disk().list();
  const second = browser.disk();
  expect(await second.list()).toMatchObject({ ok: false, failure: { kind: "refused", code: "in-use" } });
  expect((await second.state()).condition).toEqual({
    kind: "in use",
    detail: "The browser's storage is in use by another tab of Kinetocache",
  });
  browser.closeTabs();
  expect(await second.list()).toMatchObject({ ok: true });
});

test("what is to be cleared on close is gone when it is opened next; what is not stays", async () => {
  const browser = new Browser();
  const first = browser.disk();
  await first.store(frame(1), target);
  browser.closeTabs();
  expect((await browser.disk().state()).frames).toBe(1);
  browser.closeTabs();
  const third = browser.disk();
  await third.change({ clearOnClose: true });
  browser.closeTabs();
  expect((await browser.disk().state()).frames).toBe(0);
});

test("some or all frames are cleared on demand", async () => {
  const disk = new Browser().disk();
  for (const n of [1, 2, 3]) await disk.store(frame(n), target);
  await disk.clear([keyOf(2)]);
  const items = await disk.items();
  expect(items.ok && items.value.map(({ key }) => key)).toEqual([1, 3].map(keyOf));
  await disk.clear();
  expect(await disk.state()).toMatchObject({ frames: 0, bytes: 0 });
});

test("damaged notes are no reason to refuse: defaults apply, and frames are there", async () => {
  const browser = new Browser();
  await browser.disk().store(frame(1), target);
  browser.closeTabs();
  browser.files.set("notes.json", new TextEncoder().encode('{"settings":{"capBytes":-'));
  const warn = jest.spyOn(console, "warn").mockImplementation(() => undefined);
  expect(await browser.disk().state()).toMatchObject({ frames: 1, settings: DEFAULT_LOCATION_SETTINGS });
  expect(warn).toHaveBeenCalledWith(expect.stringContaining("damaged"));
  warn.mockRestore();
});

test("automatic packing stores packed what then reads back faster, and plain what does not", async () => {
  const browser = new Browser();
  const disk = browser.disk();
  // The first one is read back at once, to know what the way carries.
  await disk.store(frame(1), { ...target, packing: "automatic" });
  const flat = { ...picture, pixels: new Uint8Array(pixels.length).fill(9) };
  const stored = await disk.store({ ...frame(2), picture: flat }, { ...target, packing: "automatic" });
  const [small, large] = [200, pixels.length];
  expect(stored.ok && (stored.value < small || stored.value > large)).toBe(true);
  const fetched = await disk.fetch(keyOf(2));
  expect(fetched.ok && Buffer.compare(fetched.value.pixels, flat.pixels)).toBe(0);
});
