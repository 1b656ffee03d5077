import {
  targetOfMark,
  type CleaningRule,
  type FolderReport,
  type FrameItem,
  type GatheredState,
  type HandedComposition,
  type HeldItem,
  type HeldReport,
  type HistoryEntry,
  type OwnerMark,
  type PathVerdict,
  type Relinked,
  type RuleFile,
  type RuleReport,
  type Selection,
  type Stayed,
  type SweepMark,
  type SweepPlan,
  type SweepSettings,
  type WaitingBatch,
  type WrapProject,
  type WrapState,
} from "@kinetocache/core";
import useSWR, { mutate, type SWRResponse } from "swr";
import { SWEEP, untilFollowed } from "./sweepChanges";
import { EVERY_TWO_SECONDS, JOBS, json, read, refreshDisk, request, type RequestError } from "./server";

const SETTINGS = `${SWEEP}/settings`;
const FOLDERS = `${SWEEP}/folders`;
const MARKS = `${SWEEP}/marks`;
const RULE_FILE = `${SWEEP}/rule-file`;
const SLOWLY = { ...EVERY_TWO_SECONDS, refreshInterval: 5000 };
const FOLLOWED = { ...EVERY_TWO_SECONDS, refreshInterval: untilFollowed(2000) };
const FOLLOWED_SLOWLY = { ...EVERY_TWO_SECONDS, refreshInterval: untilFollowed(5000) };

/** A cached frame and the location that it is in. */
export type PlacedFrame = FrameItem & { readonly location: string };

/** An item of a batch, by its number there. */
export type NumberedItem = HeldItem & { readonly number: number };

/** Frames of all locations of the product's own. */
export function useFrames(): SWRResponse<PlacedFrame[], RequestError> {
  return useSWR<PlacedFrame[], RequestError>(`${SWEEP}/items`, read, FOLLOWED_SLOWLY);
}

export function useSweepFolders(): SWRResponse<FolderReport[], RequestError> {
  return useSWR<FolderReport[], RequestError>(FOLDERS, read, FOLLOWED);
}

/** Folders on simulated drives that could be registered. */
export function useOfferedFolders(): SWRResponse<{ folder: string; projects: string[] }[], RequestError> {
  return useSWR<{ folder: string; projects: string[] }[], RequestError>(`${SWEEP}/offered`, read, FOLLOWED_SLOWLY);
}

export async function registerSweepFolder(folder: string, projects: readonly string[]): Promise<void> {
  const response = await request(FOLDERS, json("POST", { folder, projects }));
  await mutate(`${SWEEP}/offered`);
  await scanFolder(((await response.json()) as { id: string }).id, false);
}

/** @returns the folders as the server has them, without links */
export async function setProjectFolders(id: string, projects: readonly string[]): Promise<readonly string[]> {
  await request(`${FOLDERS}/${id}`, json("PUT", { projects }));
  const folders = await mutate<FolderReport[]>(FOLDERS);
  return folders?.find((folder) => folder.id === id)?.projects ?? projects;
}

/** Takes a folder off the list; its files stay. */
export async function unregisterSweepFolder(id: string): Promise<void> {
  await request(`${FOLDERS}/${id}`, { method: "DELETE" });
  await Promise.all([mutate(FOLDERS), mutate(`${SWEEP}/offered`)]);
}

/** Goes through a folder, as a job. @param fresh whether also through what looks as before */
export async function scanFolder(id: string, fresh: boolean): Promise<void> {
  await request(`${FOLDERS}/${id}/scan`, json("POST", { fresh }));
  await Promise.all([mutate(FOLDERS), mutate(JOBS)]);
}

/** Items of a registered folder, as lines of packed items. */
export async function readFolderItems(id: string): Promise<ReadableStream<string>> {
  return (await request(`${FOLDERS}/${id}/items`)).body!.pipeThrough(new TextDecoderStream());
}

/** What would move, before anything does. */
export async function planSelection(selection: Selection): Promise<Omit<SweepPlan, "items"> & { items: number }> {
  const response = await request(`${SWEEP}/plan`, json("POST", { selection }));
  return (await response.json()) as Omit<SweepPlan, "items"> & { items: number };
}

/** Moves items to holding. */
export async function holdSelection(selection: Selection): Promise<HeldReport> {
  const response = await request(`${SWEEP}/holds`, json("POST", { selection }));
  await refreshDisk();
  return (await response.json()) as HeldReport;
}

export function useHolds(): SWRResponse<WaitingBatch[], RequestError> {
  return useSWR<WaitingBatch[], RequestError>(`${SWEEP}/holds`, read, FOLLOWED_SLOWLY);
}

/** Items of a batch; none while no batch is asked for. */
export function useHeldItems(batch: string | undefined): SWRResponse<NumberedItem[], RequestError> {
  return useSWR<NumberedItem[], RequestError>(batch === undefined ? null : `${SWEEP}/holds/${batch}/items`, read);
}

/** @param numbers a part of it; all when left out @returns what stayed in holding, with the reason */
export async function restoreBatch(id: string, numbers?: readonly number[]): Promise<readonly Stayed[]> {
  const response = await request(`${SWEEP}/holds/${id}/restore`, json("POST", { numbers }));
  await refreshDisk();
  return ((await response.json()) as { stayed: Stayed[] }).stayed;
}

/** @param numbers a part of it; all when left out @returns what stayed, with the reason */
export async function emptyBatch(id: string, numbers?: readonly number[]): Promise<readonly Stayed[]> {
  const response = await request(`${SWEEP}/holds/${id}/empty`, json("POST", { numbers }));
  await refreshDisk();
  return ((await response.json()) as { stayed: Stayed[] }).stayed;
}

export function useHistory(): SWRResponse<HistoryEntry[], RequestError> {
  return useSWR<HistoryEntry[], RequestError>(`${SWEEP}/history`, read, FOLLOWED_SLOWLY);
}

/** Settings of sweeping, and when the rules run next by themselves. */
export function useSweepSettings(): SWRResponse<SweepSettings & { rulesAtMs?: number }, RequestError> {
  return useSWR<SweepSettings & { rulesAtMs?: number }, RequestError>(SETTINGS, read, FOLLOWED_SLOWLY);
}

/** The last change of each path that is under way: one that is asked for meanwhile follows it. */
const changing = new Map<string, Promise<unknown>>();

/** Shown at once, and taken back when the server refuses it: the next change builds on this one. */
async function changeAtOnce(path: string, shown: unknown, init: RequestInit): Promise<void> {
  await mutate(path, shown, { revalidate: false });
  const change = (changing.get(path) ?? Promise.resolve()).then(() => request(path, init));
  const settled = change.catch(() => undefined);
  changing.set(path, settled);
  try {
    await change;
  } finally {
    // What the server says before it knows the latest would undo that on screen.
    if (changing.get(path) === settled) {
      changing.delete(path);
      await mutate(path);
    }
  }
}

export async function changeSweepSettings(settings: SweepSettings): Promise<void> {
  const { emptyAfterDays, rules, timetable } = settings;
  await changeAtOnce(SETTINGS, settings, json("PUT", { emptyAfterDays, rules, timetable }));
}

const PREVIEW = `${SWEEP}/rules/preview`;

/** What each rule would take now, were it on beside the others that are. */
function previewEach(rules: readonly CleaningRule[]): Promise<RuleReport[]> {
  return Promise.all(
    rules.map(async (rule) => {
      // It comes first, so that what several would take counts for it.
      const ordered = [{ ...rule, on: true }, ...rules.filter(({ id }) => id !== rule.id)];
      const found = (await (await request(PREVIEW, json("POST", { rules: ordered }))).json()) as RuleReport[];
      return found.find((report) => report.rule === rule.id)!;
    }),
  );
}

export function useRulePreviews(rules: readonly CleaningRule[]): SWRResponse<RuleReport[], RequestError> {
  const key = `${PREVIEW} ${JSON.stringify(rules)}`;
  return useSWR<RuleReport[], RequestError>(key, () => previewEach(rules), { ...SLOWLY, refreshInterval: 10_000 });
}

export async function runRules(): Promise<HeldReport & { readonly rules: readonly RuleReport[] }> {
  // The rules that are shown are the ones that run: a change of them may be on its way.
  await changing.get(SETTINGS);
  const response = await request(`${SWEEP}/rules/run`, { method: "POST" });
  await refreshDisk();
  return (await response.json()) as HeldReport & { readonly rules: readonly RuleReport[] };
}

export function useRuleFile(): SWRResponse<RuleFile, RequestError> {
  return useSWR<RuleFile, RequestError>(RULE_FILE, read, { revalidateOnFocus: false });
}

/** @throws RequestError that names what is wrong in it, and where */
export async function changeRuleFile(ruleFile: unknown): Promise<void> {
  await request(RULE_FILE, json("PUT", ruleFile));
  await Promise.all([mutate(RULE_FILE), mutate(FOLDERS)]);
}

/** What paths would be by a rule file. @throws RequestError */
export async function tryRuleFile(ruleFile: unknown, paths: readonly string[]): Promise<PathVerdict[]> {
  const response = await request(`${RULE_FILE}/try`, json("POST", { ruleFile, paths }));
  return (await response.json()) as PathVerdict[];
}

export function useSweepMarks(): SWRResponse<SweepMark[], RequestError> {
  return useSWR<SweepMark[], RequestError>(MARKS, read, FOLLOWED_SLOWLY);
}

/** Sets one mark, or takes it away; others that another tab has set meanwhile stay. @param shown the marks as listed */
export async function changeSweepMark(shown: readonly SweepMark[], mark: SweepMark, on: boolean): Promise<void> {
  const others = shown.filter((one) => targetOfMark(one) !== targetOfMark(mark));
  await changeAtOnce(MARKS, on ? [...others, mark] : others, json("POST", { mark, on }));
  await mutate(FOLDERS);
}

/** Tells the server what this page knows of compositions. */
export async function tellCompositions(told: {
  readonly compositions: readonly { readonly id: string; readonly name: string; readonly mark?: OwnerMark }[];
  readonly open: string;
  readonly sequences: readonly string[];
  readonly profile: string;
  readonly tab: string;
}): Promise<void> {
  await request(`${SWEEP}/compositions`, json("PUT", told));
}

/** Says that a page is still there. @returns whether the server knows of it */
export async function seenTab(tab: string): Promise<boolean> {
  const response = await request(`${SWEEP}/tabs/${tab}`, { method: "POST" });
  return ((await response.json()) as { isKnown: boolean }).isKnown;
}

/** Says that a page is closed; it is sent although the page goes. */
export function leaveTab(tab: string): void {
  void fetch(`${SWEEP}/tabs/${tab}`, { method: "DELETE", keepalive: true }).catch(() => undefined);
}

/** What other profiles of the browser have, and what is open in any tab. */
export interface Elsewhere {
  readonly compositions: readonly { readonly id: string; readonly name: string }[];
  readonly sequences: readonly string[];
  readonly open: readonly string[];
}

/** @param profile nothing is asked while it is not known */
export function useElsewhere(profile: string | undefined): SWRResponse<Elsewhere, RequestError> {
  const path = profile === undefined ? null : `${SWEEP}/compositions?profile=${profile}`;
  return useSWR<Elsewhere, RequestError>(path, read, FOLLOWED_SLOWLY);
}

export function useWrapProjects(): SWRResponse<WrapProject[], RequestError> {
  return useSWR<WrapProject[], RequestError>(`${SWEEP}/projects`, read, SLOWLY);
}

/** @param text its file @returns the full path that it has there */
export async function handComposition(id: string, handed: HandedComposition, text: string): Promise<string> {
  const path = `${SWEEP}/wrap/compositions/${id}`;
  const { file } = (await (await request(path, json("PUT", handed))).json()) as WrapProject;
  // As a blob it has a length, by which room for it is looked at before it comes.
  await request(`${path}/file`, { method: "PUT", body: new Blob([text]) });
  return file;
}

/** What of a project is original, generated and missing; nothing while none is chosen. */
export function useWrapState(file: string | undefined): SWRResponse<WrapState, RequestError> {
  const path = file === undefined ? null : `${SWEEP}/wrap?file=${encodeURIComponent(file)}`;
  return useSWR<WrapState, RequestError>(path, read, SLOWLY);
}

/** Gathers a project's originals, as a job. @param sweeps whether what was generated then goes to holding */
export async function startWrap(file: string, target: string, sweeps: boolean): Promise<void> {
  await request(`${SWEEP}/wrap`, json("POST", { file, target, sweeps }));
  await mutate(JOBS);
}

export function useGatheredFolders(): SWRResponse<string[], RequestError> {
  return useSWR<string[], RequestError>(`${SWEEP}/gathered`, read, SLOWLY);
}

export async function reopenGathered(folder: string): Promise<GatheredState> {
  return (await (await request(`${SWEEP}/gathered`, json("POST", { folder }))).json()) as GatheredState;
}

/** Looks for missing media in a folder. */
export async function relinkGathered(
  folder: string,
  from: string,
): Promise<{ readonly found: readonly Relinked[]; readonly state: GatheredState }> {
  const response = await request(`${SWEEP}/gathered/relink`, json("POST", { folder, from }));
  return (await response.json()) as { found: Relinked[]; state: GatheredState };
}
