import { availableParallelism } from "node:os";
import { createServer, type AddressInfo } from "node:net";
import { TELL_PID, withProgram } from "../../../../testing/program";
import { Contention } from "./contention";

const BUSY = `${TELL_PID} for (;;);`;

/** Code of a program that is connected to a port, as a browser is, and then busy under a worker's name. */
const browser = (port: number) => `
  process.title = "DedicatedWorker";
  require("node:net").connect(${port}, "127.0.0.1", () => { ${BUSY} });`;

/** Runs with as many busy programs. */
function withBusy(count: number, use: () => Promise<void>): Promise<void> {
  return count === 0 ? use() : withProgram(BUSY, () => withBusy(count - 1, use));
}

const onLinux = process.platform === "linux" ? test : test.skip;

onLinux(
  "what others take of the processor from a page's workers is seen, and that they are gone is seen too",
  async () => {
    const server = createServer();
    const port = new Promise<number>((resolve) => server.once("connection", (socket) => resolve(socket.remotePort!)));
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    const contention = new Contention();
    const next = async () => {
      await new Promise((resolve) => setTimeout(resolve, 600));
      return contention.read(await port, performance.now())!;
    };
    const until = async (isSo: (share: number) => boolean) => {
      while (!isSo(await next()));
    };
    try {
      await withProgram(browser((server.address() as AddressInfo).port), async () => {
        // Nothing can be said of the time before the first reading.
        expect(contention.read(await port, performance.now())).toBe(1);
        // Whatever else this machine does takes its part as well.
        const before = Math.max(await next(), await next(), await next());
        await withBusy(4 * availableParallelism(), () => until((share) => share < 0.6 * before));
        await until((share) => share > 0.8 * before);
      });
    } finally {
      server.close();
    }
  },
);
