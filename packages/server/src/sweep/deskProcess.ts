import { createBirpc } from "birpc";
import { workInside } from "../files/folder";
import { Desk } from "./desk";
import { writeMessage } from "./deskMessage";

// Entry of the process that has the registered folders. It ends with the server that started it.
workInside();
createBirpc<object, Desk>(new Desk(process.argv[2]!), {
  post: (message) => void process.send!(message),
  on: (take) => process.on("message", take),
  serialize: writeMessage,
  bind: "functions",
});
process.on("disconnect", () => process.exit());
// The server answers an interrupt, and this process ends with it.
process.on("SIGINT", () => undefined);
