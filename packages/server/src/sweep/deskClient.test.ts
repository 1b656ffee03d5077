import * as processes from "node:child_process";
import { withFolder } from "../../../../testing/server";
import { DeskClient } from "./deskClient";

const withClient = (use: (client: DeskClient) => Promise<void>) =>
  withFolder(async (folder) => {
    const client = new DeskClient(folder, () => Promise.resolve());
    try {
      await use(client);
    } finally {
      await client.close();
    }
  });

test("a process that cannot be started is told to whoever asks, and is started when it can be", () =>
  withClient(async (client) => {
    const fork = jest
      .spyOn(jest.requireActual<typeof processes>("node:child_process"), "fork")
      .mockImplementation((...[, , options]) => processes.spawn("/no/such/program", options as object) as never);
    await expect(client.call("report")).rejects.toThrow(/ended|took no question/);
    fork.mockRestore();
    expect(await client.call("report")).toEqual([]);
  }));

test("a question that cannot be put is refused, and the next is answered", () =>
  withClient(async (client) => {
    const question = { ruleFile: () => undefined } as never;
    await expect(client.call("setTerms", question)).rejects.toThrow(/took no question/);
    expect(await client.call("report")).toEqual([]);
  }));

test("a process that takes no more questions, but whose end was not told yet, is replaced", () =>
  withClient(async (client) => {
    const fork = jest.spyOn(jest.requireActual<typeof processes>("node:child_process"), "fork");
    expect(await client.call("report")).toEqual([]);
    const child = fork.mock.results[0]!.value as processes.ChildProcess;
    child.disconnect();
    expect(await client.call("report")).toEqual([]);
    expect(fork).toHaveBeenCalledTimes(2);
    fork.mockRestore();
  }));
