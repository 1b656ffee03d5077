import fc from "fast-check";
import { parseProgramRules } from "./programRuleSchema";
import { adviseOn, classOf, PROGRAM_RULES, PROGRAM_TRAITS, type Program } from "./programs";

const GIB = 2 ** 30;
const INSTALLED = 32 * GIB;

const program = (change: Partial<Program> = {}): Program => ({
  id: "1",
  name: "modeller",
  executable: "/opt/modeller/bin/modeller",
  processes: 1,
  memoryBytes: 6.2 * GIB,
  memoryMeasured: true,
  processorShare: 0.01,
  traits: ["desktop program"],
  isOwn: true,
  ...change,
});
const kind = (change: Partial<Program> = {}) => classOf(program(change), PROGRAM_RULES, INSTALLED);
const advice = (change: Partial<Program> = {}) => adviseOn(program(change), kind(change));

test("class follows traits first, then what was measured", () => {
  expect(kind()).toBe("heavy and idle");
  expect(kind({ processorShare: 0.4 })).toBe("heavy and busy");
  expect(kind({ memoryBytes: GIB / 10 })).toBe("light");
  expect(kind({ traits: ["desktop program", "file transfer"] })).toBe("synchronising or backing up");
  expect(kind({ traits: ["starts by itself"] })).toBe("starts by itself");
  expect(kind({ traits: ["audio"] })).toBe("needed for playback");
  expect(kind({ traits: ["system", "audio"] })).toBe("system");
  expect(kind({ executable: "/usr/bin/pipewire-pulse", traits: ["system"] })).toBe("needed for playback");
  expect(kind({ traits: [] })).toBe("unknown");
});

test("an unknown program is reported, never advised against, until the user says that it is not needed", () => {
  expect(advice({ traits: [] })).toMatchObject({ urgent: false, givesBackBytes: 6.2 * GIB });
  expect(advice({ traits: [], mark: "not needed" })).toMatchObject({ urgent: true, mayAsk: true });
  expect(advice({ mark: "keep" })).toMatchObject({ urgent: false, mayAsk: false, text: "Keep, as you said" });
});

test("a busy synchronising program should pause, a quiet one need not", () => {
  const traits = ["file transfer"] as const;
  expect(advice({ traits, processorShare: 0.31 })).toMatchObject({ text: "Pause it while you work", urgent: true });
  expect(advice({ traits, processorShare: 0 })).toMatchObject({ urgent: false });
});

test("the application never offers to end what is not the user's, what playback needs, or the system", () => {
  const anything = fc.record({
    memoryBytes: fc.integer({ min: 0, max: 2 ** 36 }),
    processorShare: fc.double({ min: 0, max: 4, noNaN: true }),
    traits: fc.subarray([...PROGRAM_TRAITS]),
    isOwn: fc.boolean(),
    mark: fc.constantFrom("keep", "not needed", undefined),
  });
  fc.assert(
    fc.property(anything, (change) => {
      const spared = ["system", "needed for playback", "this application"].includes(kind(change));
      if (spared || !change.isOwn || change.mark === "keep") expect(advice(change).mayAsk).toBe(false);
      if (spared) expect(advice(change).givesBackBytes).toBeUndefined();
    }),
  );
});

test("a pattern is no regular expression: only the star means anything", () => {
  const rules = parseProgramRules([{ class: "system", executable: "/opt/a+b (1)/*.d/*" }]);
  const of = (executable: string) => classOf(program({ executable }), rules, INSTALLED);
  expect(of("/opt/a+b (1)/x.d/tool")).toBe("system");
  expect(of("/opt/aab (1)/x.d/tool")).toBe("heavy and idle");
  expect(of("/opt/a+b (1)/xyd/tool")).toBe("heavy and idle");
});

test("the rules of a fresh installation are valid, and bad ones are refused with the place", () => {
  expect(parseProgramRules(PROGRAM_RULES)).toEqual(PROGRAM_RULES);
  expect(() => parseProgramRules([{ class: "nice", trait: "audio" }])).toThrow("[0].class: must be one of");
  expect(() => parseProgramRules([{ class: "system", trait: "audio", executable: "x" }])).toThrow("[0]");
  expect(() => parseProgramRules({})).toThrow("rules: must be an array");
});
