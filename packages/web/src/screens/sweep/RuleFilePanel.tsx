import { DEFAULT_RULE_FILE, type PathVerdict } from "@kinetocache/core";
import { useEffect, useMemo, useRef, useState } from "react";
import Button from "react-bootstrap/Button";
import Form from "react-bootstrap/Form";
import { changeRuleFile, tryRuleFile, useRuleFile } from "../../data/sweep";
import { RuleFileEditor, type RuleFileEditorHandle } from "./RuleFileEditor";
import { readRuleFile } from "./ruleFileFaults";
import { kindText, projectText } from "./sweepWords";

const EXAMPLES = [
  "Flyway 101/frames/sky.0001.exr",
  "Flyway 102/proxies/heron.mp4",
  "Flyway 102/footage/heron.mov",
  "Flyway Titles v3/render cache/a.exr",
  "scratch/take.tmp",
  "cache_0417/0001.bin",
];
// A pause in typing after which what was typed is tried.
const TYPED_MS = 300;

function textOf(value: unknown): string {
  return JSON.stringify(value, null, 1);
}

/** What a path would be, in words. */
function verdictText({ what, rule, kind, item, project, version }: PathVerdict): string {
  if (what === "nothing") return "no item: no rule is for it";
  if (what !== "item") return `never an item: ${what}`;
  const owner = project === undefined ? projectText("") : `${project}${version === undefined ? "" : ` v${version}`}`;
  return `${kindText(kind!)} of ${owner}, item "${item}", by rule "${rule}"`;
}

/** The rule file that items of other programs are found by, and what it makes of some paths. */
export function RuleFilePanel() {
  const stored = useRuleFile().data;
  const [typed, setTyped] = useState<string>();
  const [paths, setPaths] = useState(EXAMPLES.join("\n"));
  const [verdicts, setVerdicts] = useState<readonly PathVerdict[]>();
  const [refusal, setRefusal] = useState<string>();
  const editor = useRef<RuleFileEditorHandle>(null);
  const text = typed ?? (stored ? textOf(stored) : "");
  const read = useMemo(() => (text === "" ? undefined : readRuleFile(text)), [text]);
  const file = read && "file" in read ? read.file : undefined;
  const faults = read && "faults" in read ? read.faults : [];
  useEffect(() => {
    if (!file) return;
    let active = true;
    const attempt = async () => {
      const asked = paths
        .split("\n")
        .map((line) => line.trim())
        .filter(Boolean);
      const found = await tryRuleFile(file, asked);
      if (!active) return;
      setVerdicts(found);
      setRefusal(undefined);
    };
    const timer = setTimeout(() => {
      attempt().catch((error: unknown) => active && setRefusal((error as Error).message));
    }, TYPED_MS);
    return () => {
      active = false;
      clearTimeout(timer);
    };
  }, [file, paths]);
  const save = async () => {
    try {
      await changeRuleFile(file);
      setTyped(undefined);
      setRefusal(undefined);
    } catch (error) {
      setRefusal((error as Error).message);
    }
  };
  return (
    <section className="sheet" aria-label="Rule file">
      <div className="plan-head">
        <h2>
          Rule file <small>how project and kind are read from a path in a registered folder</small>
        </h2>
        <div className="plan-actions">
          <Button size="sm" variant="outline-dark" onClick={() => setTyped(textOf(DEFAULT_RULE_FILE))}>
            Restore shipped rules
          </Button>
          <Button size="sm" variant="outline-dark" disabled={typed === undefined} onClick={() => setTyped(undefined)}>
            Discard changes
          </Button>
          <Button
            size="sm"
            variant="dark"
            disabled={typed === undefined || file === undefined}
            onClick={() => void save()}
          >
            Save the rule file
          </Button>
        </div>
      </div>
      <div className="rule-file">
        <div>
          <div className="form-label" id="rule-file">
            The file, in JSON
          </div>
          <RuleFileEditor ref={editor} label="rule-file" text={text} onChange={setTyped} />
        </div>
        <div>
          <Form.Label htmlFor="rule-paths">Try it: paths below a registered folder, one a line</Form.Label>
          <Form.Control
            as="textarea"
            id="rule-paths"
            rows={6}
            spellCheck={false}
            className="mono"
            value={paths}
            onChange={(event) => setPaths(event.target.value)}
          />
          {faults.length > 0 ? (
            <ul className="plan-skipped control-warning" role="alert">
              {faults.map((fault) => (
                <li key={`${fault.line} ${fault.text}`}>
                  <Button size="sm" variant="link" onClick={() => editor.current?.show(fault)}>
                    Line {fault.line}
                  </Button>
                  , {fault.text}
                </li>
              ))}
            </ul>
          ) : refusal === undefined ? (
            <ul className="plan-skipped" aria-label="What the paths would be">
              {(verdicts ?? []).map((verdict) => (
                <li key={verdict.path}>
                  <span className="mono">{verdict.path}</span> {verdictText(verdict)}
                </li>
              ))}
            </ul>
          ) : (
            <p className="control-warning" role="alert">
              {refusal}
            </p>
          )}
        </div>
      </div>
    </section>
  );
}
