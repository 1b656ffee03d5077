import { homedir } from "node:os";
import { realpath } from "node:fs/promises";
import path from "node:path";
import { isInside } from "../drives/drives";
import { mounts } from "../files/mounts";

// What looks like files there is made up by the system.
const PSEUDO =
  /^(autofs|binfmt_misc|bpf|cgroup2?|configfs|debugfs|devpts|devtmpfs|efivarfs|fusectl|hugetlbfs|mqueue|nsfs|proc|pstore|rpc_pipefs|securityfs|selinuxfs|sysfs|tracefs)$/;

interface SystemFolders {
  readonly owned: readonly string[];
  /** Folders in them that are the user's all the same. */
  readonly free: readonly string[];
}

const FOLDERS: Partial<Record<NodeJS.Platform, SystemFolders>> = {
  linux: {
    owned: "bin boot dev etc lib lib32 lib64 libx32 proc run sbin sys usr var".split(" ").map((name) => `/${name}`),
    free: ["/dev/shm", "/run/media", "/usr/local", "/var/tmp"],
  },
  darwin: {
    owned: "/Applications /Library /System /bin /cores /dev /private /sbin /usr".split(" "),
    free: ["/private/tmp", "/private/var/folders", "/usr/local"],
  },
  win32: {
    owned: ["C:\\Windows", "C:\\Program Files", "C:\\Program Files (x86)", "C:\\ProgramData"],
    free: [],
  },
};

/**
 * Why a folder is not one that may be used: it is the system's, or holds more than one job.
 * @param real path without links @returns undefined where it may be
 */
export async function systemFault(real: string, platform = process.platform): Promise<string | undefined> {
  const home = await realpath(homedir()).catch(() => homedir());
  if (path.dirname(real) === real || isInside(home, real)) return "is too much; choose a folder inside it";
  const mount = mounts()
    .filter(({ point }) => isInside(real, point))
    .sort((a, b) => b.point.length - a.point.length)[0];
  if (mount && PSEUDO.test(mount.type)) return "holds no files: the system makes up what is in it";
  const { owned = [], free = [] } = FOLDERS[platform] ?? {};
  // Whose home lies there works there.
  const isFree = [...free, home].some((folder) => isInside(real, folder));
  const isSystem = owned.some((folder) => isInside(real, folder) || isInside(folder, real));
  return isSystem && !isFree ? "belongs to the system; choose a folder of yours" : undefined;
}
