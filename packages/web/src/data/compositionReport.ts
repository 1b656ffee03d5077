import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useState } from "react";
import { database, type DocumentHead } from "./database";
import { leaveTab, seenTab, tellCompositions } from "./sweep";
import { useWorkspace } from "./workspace";

const AGAIN_MS = 5000;
const SEEN_EVERY_MS = 20_000;

/** Names this page among others. */
const TAB = crypto.randomUUID();

let asked: Promise<string> | undefined;

function profileId(): Promise<string> {
  asked ??= database.transaction("rw", database.settings, async () => {
    const known = await database.settings.get("profile");
    if (known) return known.value as string;
    const value = crypto.randomUUID();
    await database.settings.put({ key: "profile", value });
    return value;
  });
  return asked;
}

/** Names this profile of the browser, whose compositions another one does not have; undefined until it is known. */
export function useProfile(): string | undefined {
  const [profile, setProfile] = useState<string>();
  useEffect(() => {
    let active = true;
    profileId().then(
      (known) => active && setProfile(known),
      (error: unknown) => console.error("The browser's database cannot be written:", error),
    );
    return () => {
      active = false;
    };
  }, []);
  return profile;
}

/** Ids of the stored sequences that a composition plays, in any of its states, or has as bakes. */
export function sequencesOf({ sequences, bakes }: Pick<DocumentHead, "sequences" | "bakes">): string[] {
  return [...new Set([...sequences, ...bakes.map(({ sequence }) => sequence)])];
}

/** Keeps the server told of what only this page knows, for rules that run by themselves. */
export function useCompositionReport(): void {
  const { document } = useWorkspace();
  const documents = useLiveQuery(() => database.documents.toArray());
  const profile = useProfile();
  const told = documents &&
    profile && {
      profile,
      tab: TAB,
      compositions: documents.map(({ id, name, mark }) => ({ id, name, mark })),
      open: document.id,
      sequences: [...new Set(documents.flatMap(sequencesOf))],
    };
  const text = told && JSON.stringify(told);
  useEffect(() => {
    if (text === undefined) return;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let active = true;
    const tell = () =>
      tellCompositions(JSON.parse(text) as Parameters<typeof tellCompositions>[0]).catch(() => {
        // Without the server nothing is swept either; it is told when it is back.
        if (active) timer = setTimeout(() => void tell(), AGAIN_MS);
      });
    void tell();
    const seen = setInterval(() => {
      // Without the server nothing is swept either; one that was started anew is told.
      seenTab(TAB).then(
        (isKnown) => (isKnown ? undefined : tell()),
        () => undefined,
      );
    }, SEEN_EVERY_MS);
    return () => {
      active = false;
      clearTimeout(timer);
      clearInterval(seen);
    };
  }, [text]);
  useEffect(() => {
    const leave = () => leaveTab(TAB);
    window.addEventListener("pagehide", leave);
    return () => window.removeEventListener("pagehide", leave);
  }, []);
}
