import { ask, fillRows, memoryLedger, memoryTable, plan, prepare, systemClock, template } from "yoroshi";
import { client } from "yoroshi/client";
import { standin } from "yoroshi/standin";

/** What is suggested, and what is filed. */
export type Values = Readonly<Record<"hazard" | "severity" | "advice", string>>;
export interface Filed extends Partial<Values> {
  readonly key: string;
  readonly report: string;
}

/** Where reports go. */
export interface Desk {
  readonly about: string;
  readonly hazards: readonly string[];
  suggest(report: string): Promise<Values | undefined>;
  /** Files a report; corrections are what the person says otherwise. */
  file(report: string, corrections: Partial<Values>): Promise<readonly Filed[]>;
}

/** The project behind a server, where there is one. */
async function servedDesk(): Promise<Desk> {
  const server = client({ base: "/server" });
  const { name } = await server.showProject();
  const { answer } = await server.templateSchema({ template: "intake" });
  const { hazard } = answer["properties"] as unknown as { hazard: { enum: string[] } };
  return {
    about: `Reports go to ${name}.`,
    hazards: hazard.enum,
    suggest: async (report) => (await server.answer("intake", [{ report }])).answers[0]?.cells as Values | undefined,
    async file(report, corrections) {
      const { keys } = await server.addRows({
        plan: "intake",
        rows: [{ report, writtenBy: "form", loggedOn: new Date().toISOString().slice(0, 10) }],
      });
      let run = await server.fillPlan({ plan: "intake", only: keys });
      while (run.state === "running") run = await new Promise<void>((resolve) => setTimeout(resolve, 50)).then(() => server.run(run.id));
      if (run.error) throw new Error(run.error.message);
      for (const [column, value] of Object.entries(corrections)) await server.changeCell({ plan: "intake", key: keys[0]!, column, value });
      if (Object.keys(corrections).length > 0) await server.addSample({ template: "intake", inputs: { report }, labels: corrections });
      const { page, columns } = await server.readRows({ plan: "intake", limit: 500 });
      const row = (values: readonly string[]): Record<string, string> =>
        Object.fromEntries(columns.map((one, index) => [one.name, values[index]!]));
      return page.map(({ key, values }) => ({ key, ...row(values) }) as unknown as Filed);
    },
  };
}

const HAZARDS = {
  mooring: "Lines, ropes, winches and bitts when berthing",
  fire: "Fire, smoke, burning smell, extinguishers, hot work",
  machinery: "Engines, pumps, thrusters, hydraulics, alarms",
  "slip-trip-fall": "Somebody slips, trips or falls, wet or icy floors, stairs",
  spill: "Oil, diesel or chemicals that leak",
};

/** The same in the page itself: the core, with the stand-in as its model. */
function ownDesk(): Desk {
  const intake = template({
    name: "intake",
    inputs: { report: { kind: "text", maxChars: 6000 } },
    task: "Say which hazard this report is about, how bad it could have been, and what to do first. {{ report }}",
    answer: {
      hazard: { kind: "choice", options: HAZARDS, otherwise: "unclear" },
      severity: { kind: "score", from: 1, to: 5, scale: { 1: "no hazard at all", 5: "somebody could have died" } },
      advice: {
        kind: "choice",
        options: {
          "take it out of use": "worn, cut, parted or broken gear, a rope, a line, a ladder",
          "clean it up and mark the place": "oil, water, ice or grease on deck, slippery",
          "stop and call the engineer": "engine, pump, motor, alarm, hydraulics",
          "tell the bridge at once": "smoke, fire, fuel leak, man overboard",
        },
        otherwise: "write it down, nothing else for now",
      },
    },
  });
  const [clock, ledger, prepared] = [systemClock(), memoryLedger(), prepare(intake)];
  const model = standin({ clock });
  const filed: Filed[] = [];
  const intakePlan = plan({
    name: "intake",
    table: { file: "memory", key: "key" },
    steps: { intake: { template: "intake", fill: { hazard: "hazard", severity: "severity", advice: "advice" } } },
  });
  return {
    about: "No server: the page answers by itself, with the offline stand-in.",
    hazards: [...Object.keys(HAZARDS), "unclear"],
    async suggest(report) {
      const { parts } = await ask(prepared, { report }, { model, clock });
      return parts && { ...parts, severity: String(parts.severity) };
    },
    async file(report, corrections) {
      const key = String(filed.length + 1);
      const table = memoryTable([{ key, report }], { key: "key" });
      const setup = { plan: intakePlan, table, asking: { intake: { prepared, version: 1, model } }, ledger, clock };
      for await (const row of fillRows(setup)) filed.push({ key, report, ...(row.values as unknown as Values), ...corrections });
      return filed;
    },
  };
}

export const openDesk = (): Promise<Desk> => servedDesk().catch(ownDesk);
