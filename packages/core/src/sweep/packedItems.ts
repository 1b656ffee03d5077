import { ITEM_STATES, type SweepItem } from "./item";
import { ITEM_KINDS } from "./ruleFile";

/** Items of one place for the way to the screen: what many have in common is said once. */
export interface PackedItems {
  readonly place: string;
  /** Owner and name of each project. */
  readonly projects: readonly (readonly [owner: string | null, name: string])[];
  readonly reasons: readonly string[];
  /** Id, kind, state, project, reason, bytes, files, time of last use, time to rebuild or null, and 1 for an estimate. */
  readonly rows: readonly (readonly [
    string,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number | null,
    0 | 1,
  ])[];
}

export function packItems(place: string, items: readonly SweepItem[]): PackedItems {
  const projects = new Map<string, number>();
  const reasons = new Map<string, number>();
  const projectList: PackedItems["projects"][number][] = [];
  const rows = items.map((item): PackedItems["rows"][number] => {
    const project = [item.owner ?? null, item.project] as const;
    const name = JSON.stringify(project);
    if (!projects.has(name)) {
      projects.set(name, projectList.length);
      projectList.push(project);
    }
    if (!reasons.has(item.reason)) reasons.set(item.reason, reasons.size);
    return [
      item.id,
      ITEM_KINDS.indexOf(item.kind),
      ITEM_STATES.indexOf(item.state),
      projects.get(name)!,
      reasons.get(item.reason)!,
      item.bytes,
      item.files,
      Math.round(item.usedMs),
      item.rebuildMs === undefined ? null : Math.round(item.rebuildMs),
      item.isEstimate ? 1 : 0,
    ];
  });
  return { place, projects: projectList, reasons: [...reasons.keys()], rows };
}

export function unpackItems({ place, projects, reasons, rows }: PackedItems): SweepItem[] {
  return rows.map(([id, kind, state, project, reason, bytes, files, usedMs, rebuildMs, isEstimate]) => {
    const [owner, name] = projects[project]!;
    return {
      place,
      id,
      kind: ITEM_KINDS[kind]!,
      ...(owner === null ? {} : { owner }),
      project: name,
      state: ITEM_STATES[state]!,
      reason: reasons[reason]!,
      bytes,
      files,
      usedMs,
      ...(rebuildMs === null ? {} : { rebuildMs }),
      ...(isEstimate ? { isEstimate: true } : {}),
    };
  });
}
