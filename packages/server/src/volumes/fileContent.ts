import { crc32 } from "node:zlib";
import type { Bytes } from "@kinetocache/core";
import type { Folder } from "../files/folder";
import { Problem } from "../http/problem";

// Chunks of a request are gathered up to this size before they are written.
const WRITE_BYTES = 4 * 2 ** 20;

/**
 * Writes what arrives, a few megabytes at a time: each write is a trip to another thread.
 * @param reserve asked before so many bytes in all are there @returns the CRC
 */
export async function receive(
  folder: Folder,
  name: string,
  size: Bytes,
  content: AsyncIterable<Uint8Array>,
  reserve: (bytes: Bytes) => Promise<void>,
): Promise<number> {
  const file = await folder.createFile(name);
  let received = 0;
  let crc = 0;
  let waiting: Uint8Array[] = [];
  let waitingBytes = 0;
  try {
    for await (const chunk of content) {
      received += chunk.length;
      if (received > size) break;
      crc = crc32(chunk, crc);
      waiting.push(chunk);
      waitingBytes += chunk.length;
      if (waitingBytes < WRITE_BYTES && received < size) continue;
      await reserve(received);
      await file.writev(waiting);
      waiting = [];
      waitingBytes = 0;
    }
    // Its name must never stand for bytes that did not reach the drive. It also keeps the system from
    // collecting hundreds of frames and writing them later, all at once, in the middle of playback.
    await file.datasync();
  } finally {
    await file.close();
  }
  if (received !== size) throw new Problem(400, "wrong-length", `Expected ${size} bytes, received ${received}`);
  return crc;
}

/**
 * Reads a file of known size in one piece, and one byte more where there is one, so that a file that has grown
 * is noticed too. No link is followed. @returns undefined for what is no file
 */
export async function readWhole(folder: Folder, name: string, size: Bytes): Promise<Buffer | undefined> {
  const file = await folder.openFile(name);
  try {
    if (!(await file.stat()).isFile()) return undefined;
    const buffer = Buffer.allocUnsafe(size + 1);
    const { bytesRead } = await file.read(buffer, 0, size + 1, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}
