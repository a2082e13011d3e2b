import type { RouteName } from "./routes.js";

/** What is sent in an example on the demo. */
export interface Example {
  readonly path?: Readonly<Record<string, string>>;
  readonly query?: Readonly<Record<string, string>>;
  readonly body?: Readonly<Record<string, unknown>>;
}

const triage = { plan: "triage" };
const hazard = { template: "hazard-triage" };
const reviewed = { plan: "reviewed" };

/** An example of each route, on the demo; the tests send every one of them. */
export const EXAMPLES: Readonly<Partial<Record<RouteName, Example>>> = {
  checkProjectSource: { body: { text: "yoroshi: project/1\ncurrency: NZD\n" } },
  checkFiles: { body: { names: ["hazard-triage", "triage"] } },
  findTables: {},
  lookAtNew: { body: { place: { file: "deck-log.csv" } } },
  findNewKeys: { body: { place: { file: "deck-log.csv" } } },
  beginPlan: {
    body: { place: { file: "deck-log.csv" }, key: "reportId", from: ["report"], wanted: { what: "summary" }, name: "deck-summary" },
  },
  tryFirst: { path: { plan: "deck-summary" }, body: { rows: 1 } },
  listFiles: { query: { find: "hazard" } },
  listKinds: {},
  showTemplate: { path: hazard },
  templateSchema: { path: hazard },
  readTemplateSource: { path: { name: "hazard-triage" } },
  checkTemplateSource: { path: { name: "hazard-triage" }, body: { text: "yoroshi: template/1\nname: hazard-triage\ntsk: Decide\n" } },
  copyTemplate: { path: { from: "hazard-triage" }, body: { template: "hazard-two" } },
  writeStarter: { path: { starter: "tone" }, body: { template: "tone" } },
  draftTemplate: { body: { template: "deck-topic", description: "Which part of the ship is this about", table: "deck-log.csv" } },
  listVersions: { path: hazard },
  compareVersion: { path: { ...hazard, version: "1" } },
  approveVersion: { path: { ...hazard, version: "1" } },
  restoreTemplate: { path: { ...hazard, version: "1" } },
  showPrompt: { body: { of: "triage", row: "R-012" } },
  tryRow: { body: { of: "hazard-triage", inputs: { report: "Line parted at the aft bitts, nobody hurt." } } },
  drawSamples: { path: triage, body: { rows: 5, seed: 3, samples: "samples/more.csv" } },
  addSample: {
    path: { template: "intake" },
    body: { inputs: { report: "Door seal torn on the car deck, water on the ramp." }, labels: { hazard: "slip-trip-fall", severity: "2" } },
  },
  addExample: {
    path: { template: "intake" },
    body: {
      inputs: { report: "Deck light out by the aft ramp." },
      answer: { hazard: "slip-trip-fall", severity: "2", advice: "take it out of use" },
    },
  },
  readLabels: { query: { file: "samples/hazard-triage.csv" } },
  labelRow: { body: { file: "samples/hazard-triage.csv", row: 1, values: { hazard: "mooring" }, save: false } },
  sealSamples: { body: { file: "samples/hazard-triage.csv", share: 0.2 } },
  listTrials: {},
  readTrial: { path: hazard, body: {} },
  trialTemplate: { path: hazard, body: { resamples: 200 } },
  newPlan: { body: { plan: "deck-two", template: "hazard-triage", file: "deck-log.csv" } },
  showPlan: { path: triage },
  readWay: { path: triage },
  readPlanSource: { path: { name: "triage" } },
  checkPlanSource: { path: { name: "triage" }, body: { text: "yoroshi: plan/1\nname: triage\ntable: { file: deck-log.csv }\n" } },
  addStep: { path: { plan: "deck-two" }, body: { template: "follow-up" } },
  pointPlan: { path: triage, body: { file: "deck-log.csv" } },
  readRows: {
    path: triage,
    body: { search: "rope", sort: [{ column: "severity", descending: true }], filters: [{ column: "hazard", not: ["unclear"] }], limit: 3 },
  },
  addRows: {
    path: { plan: "intake" },
    body: { rows: [{ report: "Door seal torn on the car deck, water on the ramp.", writtenBy: "Deck" }] },
  },
  readCross: { path: { ...triage, column: "hazard", across: "vessel" }, body: {} },
  readStanding: { path: triage, body: { search: "rope" } },
  findRow: { path: triage, body: { key: "R-012", sort: [{ column: "severity" }] } },
  readColumn: { path: { ...triage, column: "severity" }, body: {} },
  explainRow: { path: { ...triage, key: "R-012" }, query: { column: "hazard" } },
  showPictures: { path: { plan: "gauges", key: "G-01" }, query: { column: "reading" } },
  changeCell: { path: { ...triage, key: "R-012", column: "severity" }, body: { value: "4", reason: "a person stood there" } },
  restoreCell: { path: { ...triage, key: "R-012", column: "severity" } },
  askCellAgain: { path: { ...triage, key: "R-012", column: "severity" }, body: { says: "The line was under load." } },
  surveyPlan: { path: triage },
  previewFill: { path: triage, body: { refill: "all", rows: 20 } },
  fillPlan: { path: triage, body: { rows: 20, spend: 0.5 } },
  undoFill: { path: { ...triage, run: "last" } },
  letStand: { path: triage, body: {} },
  writeReview: { path: triage },
  readReview: { path: reviewed, body: { limit: 2 } },
  readCheck: { path: reviewed },
  showReview: { path: reviewed },
  askTable: { body: { of: "triage", question: "How many reports of MV Tern are about mooring?" } },
  markReport: { path: triage },
  readDrift: { path: triage },
  askSealed: { path: triage },
  seeDrift: { path: triage },
  keepQuestion: { path: { plan: "kept" }, body: { of: "triage", question: "How many reports of MV Tern are about mooring?" } },
  reportPlan: { path: triage, body: { across: "vessel" } },
  readWatched: {},
  readChanges: { path: triage, query: { limit: "20" } },
  listRuns: { query: { kind: "fill", limit: "5" } },
};
