import { Problem } from "../http/problem";

/** What an error of the file system means for whoever wanted to store or read a frame. */
export function asRefusal(error: unknown, root: string): unknown {
  switch ((error as NodeJS.ErrnoException).code) {
    case "EACCES":
    case "EPERM":
      return new Problem(403, "not-writable", `${root} may not be written; change its permissions, or choose another`);
    case "EROFS":
      return new Problem(403, "read-only", `${root} is read-only; make it writable, or choose another`);
    case "ENOTDIR":
      return new Problem(409, "not-a-folder", `${(error as Error).message}; remove it, or put the folder back`);
    case "ENOENT":
    case "ENODEV":
    case "ENXIO":
    case "EIO":
    case "ESTALE":
      return new Problem(503, "missing", `${root} is gone, with its drive or by itself; attach the drive again`);
    default:
      return error;
  }
}
