import { workInside } from "../files/folder";
import { Desk } from "./desk";
import type { DeskCall, DeskReply } from "./deskClient";

// Entry of the process that has the registered folders. It ends with the server that started it.
workInside();
const desk = new Desk(process.argv[2]!);
const reply = (message: DeskReply) => void process.send!(message);

async function answer({ method, args }: DeskCall): Promise<unknown> {
  const ask = desk[method] as (...all: unknown[]) => unknown;
  return ask.call(desk, ...args);
}

process.on("message", ({ id, ...call }: DeskCall & { id: number }) => {
  answer(call).then(
    (result) => reply({ id, result }),
    ({ message, code }: NodeJS.ErrnoException) => reply({ id, error: { message, code } }),
  );
});
process.on("disconnect", () => process.exit());
// The server answers an interrupt, and this process ends with it.
process.on("SIGINT", () => undefined);
