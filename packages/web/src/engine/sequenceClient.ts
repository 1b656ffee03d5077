import type { ContentKey, FrameNumber } from "@kinetocache/core";

/** What the engine asks of the server's stored sequences. */
export interface SequencePort {
  /** Pictures that are stored, each with the key of what it shows. @throws Error fit to show */
  pictures(id: string): Promise<ReadonlyMap<FrameNumber, ContentKey>>;
  /** Has every picture read back, after which the sequence is complete. @throws Error that says what is missing */
  complete(id: string): Promise<void>;
}

/** Sequences over HTTP. */
export class SequenceClient implements SequencePort {
  async pictures(id: string): Promise<ReadonlyMap<FrameNumber, ContentKey>> {
    const response = await this.ask(`/api/sequences/${id}`);
    const { pictures } = (await response.json()) as { pictures: [FrameNumber, ContentKey][] };
    return new Map(pictures);
  }

  async complete(id: string): Promise<void> {
    await this.ask(`/api/sequences/${id}/complete`, { method: "POST" });
  }

  private async ask(path: string, init?: RequestInit): Promise<Response> {
    const response = await fetch(path, init).catch((cause: unknown) => {
      throw new Error("the server does not answer", { cause });
    });
    if (response.ok) return response;
    const { detail } = (await response.json().catch(() => ({}))) as { detail?: string };
    throw new Error(detail ?? `the server answered ${response.status}`);
  }
}
