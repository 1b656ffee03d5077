/** An error on its way between processes, which drop its code. */
interface SentError {
  readonly message: string;
  readonly code: string | undefined;
}

/** A message of the desk's process, with what became of the question. */
interface DeskMessage {
  readonly e?: unknown;
}

/** Has an error keep its code on the way to another process. */
export function writeMessage(message: DeskMessage): DeskMessage {
  if (message.e === undefined) return message;
  const { message: text, code } = message.e as NodeJS.ErrnoException;
  return { ...message, e: { message: text, code } satisfies SentError };
}

/** A message as `writeMessage` was given it. */
export function readMessage(message: DeskMessage): DeskMessage {
  if (message.e === undefined) return message;
  const { message: text, code } = message.e as SentError;
  return { ...message, e: Object.assign(new Error(text), { code }) };
}
