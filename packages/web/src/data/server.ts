import type {
  Drive,
  DriveTest,
  FillSample,
  Hardware,
  LiveFigures,
  LocationCondition,
  LocationSettings,
  MachineFigures,
  MachineSheet,
  NewSequence,
  ProgramMark,
  SequenceState,
  StartupEntry,
} from "@kinetocache/core";
import { useEffect } from "react";
import useSWR, { mutate, type SWRResponse } from "swr";

/** What the server says of a folder with frames. */
interface VolumeState extends LocationSettings {
  readonly frames: number;
  readonly bytes: number;
  readonly holdingBytes: number;
  readonly beyondCapBytes: number;
  readonly sequenceBytes: number;
  readonly freeBytes: number;
  readonly growth: readonly FillSample[];
}

/** A folder that is registered with the server. */
export interface FolderState {
  readonly id: string;
  readonly folder: string;
  readonly holds: "frames" | "media";
  readonly condition: LocationCondition;
  /** Of one that holds frames and can be used. */
  readonly volume?: VolumeState;
}

/** Long work on the server. */
export interface JobStatus {
  readonly id: string;
  readonly title: string;
  readonly state: "running" | "paused" | "done" | "cancelled" | "failed";
  /** Share that is done, 0 to 1. */
  readonly progress: number;
  readonly detail: string;
  /** Whether its end is seen elsewhere. */
  readonly isQuiet?: boolean;
}

/** A request that the server refused or did not answer; the message is fit to show. */
export class RequestError extends Error {}

export async function request(path: string, init?: RequestInit): Promise<Response> {
  const response = await fetch(path, init).catch((cause: unknown) => {
    throw new RequestError(
      "The server does not answer. Start it again with `npm run demo`; this page will go on by itself.",
      { cause },
    );
  });
  if (response.ok) return response;
  const problem = (await response.json().catch(() => ({}))) as { detail?: string };
  throw new RequestError(problem.detail ?? `The server answered ${response.status}`);
}

export async function read<T>(path: string): Promise<T> {
  return (await (await request(path)).json()) as T;
}

export const EVERY_TWO_SECONDS = {
  refreshInterval: 2000,
  shouldRetryOnError: true,
  errorRetryInterval: 2000,
  keepPreviousData: true,
};

export function useMachine(): SWRResponse<MachineFigures, RequestError> {
  return useSWR<MachineFigures, RequestError>("/api/machine", read, EVERY_TWO_SECONDS);
}

export async function readMachine(signal?: AbortSignal): Promise<MachineFigures> {
  const response = await request("/api/machine", signal ? { signal } : {});
  return (await response.json()) as MachineFigures;
}

const FOLDERS = "/api/locations";

export function useFolders(): SWRResponse<FolderState[], RequestError> {
  return useSWR<FolderState[], RequestError>(FOLDERS, read, EVERY_TWO_SECONDS);
}

/** The drives of the machine, and what was measured of them. */
export interface DriveListing {
  readonly drives: readonly Drive[];
  /** Oldest first. */
  readonly tests: readonly DriveTest[];
}

const DRIVES = "/api/drives";

export function useDrives(): SWRResponse<DriveListing, RequestError> {
  return useSWR<DriveListing, RequestError>(DRIVES, read, { ...EVERY_TWO_SECONDS, refreshInterval: 10_000 });
}

export interface DriveTestRequest {
  readonly mount: string;
  /** Where to write; undefined for a place that the server finds. */
  readonly folder?: string;
  readonly frameBytes: number;
  readonly frames: number;
}

/**
 * Tests a drive with frame-sized files.
 * @param onProgress share that is done, 0 to 1
 * @param signal ends it early
 * @throws RequestError, or what the signal was aborted with
 */
export async function testDrive(
  wanted: DriveTestRequest,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<DriveTest> {
  const { body } = await request(`${DRIVES}/test`, { ...json("POST", wanted), signal });
  let found: DriveTest | undefined;
  for await (const text of linesOf(body!.pipeThrough(new TextDecoderStream()))) {
    const line = JSON.parse(text) as { progress?: number; test?: DriveTest; failure?: string };
    if (line.progress !== undefined) onProgress(line.progress);
    if (line.failure !== undefined) throw new RequestError(line.failure);
    found = line.test ?? found;
  }
  if (!found) throw new RequestError("The server stopped during the test");
  await mutate(DRIVES);
  return found;
}

export async function* linesOf(stream: ReadableStream<string>): AsyncGenerator<string> {
  const reader = stream.getReader();
  let rest = "";
  for (let next = await reader.read(); !next.done; next = await reader.read()) {
    const lines = (rest + next.value).split("\n");
    rest = lines.pop()!;
    yield* lines;
  }
}

/** What does not change while the server runs; asked once. */
const ONCE = { ...EVERY_TWO_SECONDS, refreshInterval: 0, revalidateOnFocus: false };

export function useHardware(): SWRResponse<Hardware, RequestError> {
  return useSWR<Hardware, RequestError>("/api/machine/hardware", read, ONCE);
}

/** null where the platform does not tell. */
export function useStartup(): SWRResponse<readonly StartupEntry[] | null, RequestError> {
  return useSWR<readonly StartupEntry[] | null, RequestError>("/api/machine/startup", read, ONCE);
}

export function useSimulatedMachines(): SWRResponse<readonly MachineSheet[], RequestError> {
  return useSWR<readonly MachineSheet[], RequestError>("/api/machine/simulated", read, ONCE);
}

/** What slowed the machine down since the question before: conditions, and what synchronises or backs up. */
export function readDisturbances(): Promise<Pick<LiveFigures, "conditions" | "programs">> {
  return read<Pick<LiveFigures, "conditions" | "programs">>("/api/machine/disturbances");
}

/** Asks anew for all that changes when files move. */
export async function refreshDisk(): Promise<void> {
  const isSweeping = (key: unknown) => typeof key === "string" && key.startsWith("/api/sweep/");
  await Promise.all([mutate(FOLDERS), mutate(DRIVES), mutate(SEQUENCES), mutate(isSweeping)]);
}

export const json = (method: string, body: unknown): RequestInit => ({
  method,
  headers: { "Content-Type": "application/json" },
  body: JSON.stringify(body),
});

/** What a lower cap takes. */
export interface OverCap {
  /** Where they are counted. */
  readonly frames?: number;
  readonly bytes: number;
  /** Whether it can wait in holding; for good otherwise. */
  readonly isHeld: boolean;
}

/** What a cap would take from a folder. */
export async function capOfFolder(id: string, capBytes: number): Promise<OverCap> {
  const response = await request(`${FOLDERS}/${id}/cap`, json("POST", { capBytes }));
  return (await response.json()) as OverCap;
}

/** What may become of frames that a lower cap has no room for: what was said of them, and nothing worse. */
export interface Consent {
  readonly mayHold?: boolean;
  readonly mayRemove?: boolean;
}

export async function changeFolder(id: string, change: Partial<LocationSettings> & Consent): Promise<void> {
  await request(`${FOLDERS}/${id}`, json("PUT", change));
  await refreshDisk();
}

export async function registerFolder(folder: string, holds: FolderState["holds"]): Promise<FolderState> {
  const response = await request(FOLDERS, json("POST", { folder, holds }));
  await refreshDisk();
  return (await response.json()) as FolderState;
}

/** Takes a folder off the list; its files stay. */
export async function unregisterFolder(id: string): Promise<void> {
  await request(`${FOLDERS}/${id}`, { method: "DELETE" });
  await refreshDisk();
}

/** Moves all frames of one folder to another, as a job. */
export async function moveFrames(from: string, to: string): Promise<void> {
  await request(`${FOLDERS}/${from}/move`, json("POST", { to }));
  await mutate(JOBS);
}

const SEQUENCES = "/api/sequences";

/** Stored sequences at all locations. */
export function useSequences(): SWRResponse<SequenceState[], RequestError> {
  return useSWR<SequenceState[], RequestError>(SEQUENCES, read, EVERY_TWO_SECONDS);
}

export async function readSequences(): Promise<SequenceState[]> {
  return (await (await request(SEQUENCES)).json()) as SequenceState[];
}

/** Makes an empty sequence at a location. */
export async function createSequence(location: string, described: NewSequence): Promise<SequenceState> {
  const response = await request(SEQUENCES, json("POST", { location, ...described }));
  await mutate(SEQUENCES);
  return (await response.json()) as SequenceState;
}

/** Stores a picture under its number. */
export async function putPicture(id: string, number: number, body: File, isPng: boolean): Promise<void> {
  const type = isPng ? "image/png" : "application/octet-stream";
  await request(`${SEQUENCES}/${id}/frames/${number}`, { method: "PUT", headers: { "Content-Type": type }, body });
}

/** Has every picture read back. @returns a digest of all of them */
export async function completeSequence(id: string): Promise<string> {
  const response = await request(`${SEQUENCES}/${id}/complete`, { method: "POST" });
  return ((await response.json()) as { digest: string }).digest;
}

/** Removes a sequence and its files. */
export async function removeSequence(id: string): Promise<void> {
  await request(`${SEQUENCES}/${id}`, { method: "DELETE" });
  await mutate(SEQUENCES);
  await refreshDisk();
}

/** Where a sequence is had as ordinary numbered files. */
export function sequenceExport(id: string, format: "png" | "exr"): string {
  return `${SEQUENCES}/${id}/export?format=${format}`;
}

export const JOBS = "/api/jobs";

export const isUnderWay = ({ state }: JobStatus): boolean => state === "running" || state === "paused";

/**
 * The server's jobs; undefined before they are known. While one is under way they are followed as they change: a
 * connection that stays open for nothing is one less for frames.
 */
export function useJobs(): readonly JobStatus[] | undefined {
  const { data } = useSWR<JobStatus[], RequestError>(JOBS, read, EVERY_TWO_SECONDS);
  const follows = data?.some(isUnderWay) ?? false;
  useEffect(() => {
    if (!follows) return;
    const events = new EventSource(JOBS);
    events.onmessage = ({ data }: MessageEvent<string>) =>
      void mutate(JOBS, JSON.parse(data) as JobStatus[], { revalidate: false });
    return () => events.close();
  }, [follows]);
  return data;
}

export async function steerJob(id: string, wish: "pause" | "resume" | "cancel"): Promise<void> {
  await request(`/api/jobs/${id}`, json("POST", { wish }));
}

/** @param mark undefined takes the mark away */
export async function markProgram(id: string, mark: ProgramMark | undefined): Promise<void> {
  await request("/api/machine/marks", json("PUT", { id, mark }));
}

/** Asks a program to end, and waits a few seconds for it. */
export async function askProgramToQuit(id: string): Promise<"closed" | "still running"> {
  const response = await request("/api/machine/quit", json("POST", { id }));
  return ((await response.json()) as { outcome: "closed" | "still running" }).outcome;
}
