import type { SegmentFile, SegmentFolder } from "./segments";

/** A folder of the browser's own storage, whose files are read and written at once; for workers only. */
export async function openOriginFolder(name: string): Promise<SegmentFolder> {
  const root = await navigator.storage.getDirectory();
  const folder = await root.getDirectoryHandle(name, { create: true });
  return {
    async names() {
      const names: string[] = [];
      for await (const one of folder.keys()) names.push(one);
      return names;
    },
    async open(file) {
      const handle = await (await folder.getFileHandle(file, { create: true })).createSyncAccessHandle();
      const opened: SegmentFile = {
        read: (target, at) => handle.read(target as Uint8Array<ArrayBuffer>, { at }),
        write: (source, at) => handle.write(source as Uint8Array<ArrayBuffer>, { at }),
        size: () => handle.getSize(),
        truncate: (size) => handle.truncate(size),
        flush: () => handle.flush(),
        close: () => handle.close(),
      };
      return opened;
    },
    remove: (file) => folder.removeEntry(file),
  };
}
