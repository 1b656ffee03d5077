// Parts of the File System standard (fs.spec.whatwg.org) that exist in workers alone, which TypeScript's library for
// pages therefore leaves out.

interface FileSystemSyncAccessHandle {
  read(target: Uint8Array<ArrayBuffer>, options: { at: number }): number;
  write(source: Uint8Array<ArrayBuffer>, options: { at: number }): number;
  getSize(): number;
  truncate(size: number): void;
  flush(): void;
  close(): void;
}

interface FileSystemFileHandle {
  createSyncAccessHandle(): Promise<FileSystemSyncAccessHandle>;
}

interface FileSystemDirectoryHandle {
  keys(): AsyncIterableIterator<string>;
}
