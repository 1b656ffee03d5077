import { Desk } from "./desk";
import type { DeskCall, DeskReply } from "./deskClient";

// Entry of the process that has the registered folders. It ends with the server that started it.
const desk = new Desk(process.argv[2]!);
const reply = (message: DeskReply) => void process.send!(message);
const TELL_MS = 100;

async function answer({ method, args }: DeskCall, id: number): Promise<unknown> {
  if (method === "scan") {
    let toldMs = 0;
    const [root, fresh] = args as [string, boolean];
    return desk.scan(root, fresh, (progress) => {
      if (performance.now() - toldMs < TELL_MS) return;
      toldMs = performance.now();
      reply({ id, progress });
    });
  }
  const ask = desk[method] as (...all: unknown[]) => unknown;
  return ask.apply(desk, args as unknown[]);
}

process.on("message", (call: DeskCall & { id: number }) => {
  answer(call, call.id).then(
    (result) => reply({ id: call.id, result }),
    (error: NodeJS.ErrnoException) => reply({ id: call.id, error: { message: error.message, code: error.code } }),
  );
});
process.on("disconnect", () => process.exit());
// The server answers an interrupt, and this process ends with it.
process.on("SIGINT", () => undefined);
