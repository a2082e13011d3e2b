/** How a job is reached over HTTP: what of its input stands in the path, what is fixed, who may. */
export interface Route {
  readonly method: "GET" | "POST" | "PUT" | "DELETE";
  /** Names in braces are keys of the job's input; the rest of it stands in the query of a GET or DELETE, else in the body. */
  readonly path: string;
  /** The right that a token needs; `person` is for a person's session alone. */
  readonly right: "answer" | "read" | "work" | "person";
  /** The job, where it is not named like the route. */
  readonly job?: string;
  /** What of the job's input is the same in every call. */
  readonly fixed?: Readonly<Record<string, unknown>>;
  /** Keys of the job's input that nobody may say over HTTP: they would write files of any name. */
  readonly without?: readonly string[];
  /** It goes on while nobody waits: the answer is 202, with a place to look. */
  readonly goesOn?: true;
  readonly tag: string;
}

const template = { what: "template" } as const;
const plan = { what: "plan" } as const;
const project = { what: "project", name: "yoroshi" } as const;

/** Every route that runs a job, by its name; the document, the server and the client are made of this one list. */
export const ROUTES = {
  showProject: { method: "GET", path: "/project", right: "read", tag: "project" },
  readProjectSource: { method: "GET", path: "/project/source", right: "read", job: "readSource", fixed: project, tag: "project" },
  checkProjectSource: { method: "POST", path: "/project/source/check", right: "read", job: "checkSource", fixed: project, tag: "project" },
  saveProjectSource: { method: "PUT", path: "/project/source", right: "person", job: "saveSource", fixed: project, tag: "project" },
  checkFiles: { method: "POST", path: "/check", right: "read", tag: "project" },
  listTokens: { method: "GET", path: "/tokens", right: "person", tag: "project" },
  endToken: { method: "DELETE", path: "/tokens/{id}", right: "person", tag: "project" },

  findTables: { method: "GET", path: "/begin/tables", right: "read", tag: "begin" },
  lookAtNew: { method: "POST", path: "/begin/look", right: "read", tag: "begin" },
  findNewKeys: { method: "POST", path: "/begin/keys", right: "read", tag: "begin" },
  beginPlan: { method: "POST", path: "/begin", right: "work", tag: "begin" },
  tryFirst: { method: "POST", path: "/plans/{plan}/first-rows", right: "work", tag: "begin" },

  listFiles: { method: "GET", path: "/files", right: "read", tag: "templates" },
  listKinds: { method: "GET", path: "/kinds", right: "read", tag: "templates" },
  showTemplate: { method: "GET", path: "/templates/{template}", right: "read", tag: "templates" },
  templateSchema: { method: "GET", path: "/templates/{template}/schema", right: "answer", tag: "templates" },
  readTemplateSource: {
    method: "GET",
    path: "/templates/{name}/source",
    right: "read",
    job: "readSource",
    fixed: template,
    tag: "templates",
  },
  checkTemplateSource: {
    method: "POST",
    path: "/templates/{name}/source/check",
    right: "read",
    job: "checkSource",
    fixed: template,
    tag: "templates",
  },
  saveTemplateSource: {
    method: "PUT",
    path: "/templates/{name}/source",
    right: "work",
    job: "saveSource",
    fixed: template,
    tag: "templates",
  },
  copyTemplate: { method: "POST", path: "/templates/{from}/copies", right: "work", tag: "templates" },
  listStarters: { method: "GET", path: "/starters", right: "read", tag: "templates" },
  writeStarter: { method: "POST", path: "/starters/{starter}/templates", right: "work", tag: "templates" },
  draftTemplate: { method: "POST", path: "/drafts", right: "work", tag: "templates" },
  listVersions: { method: "GET", path: "/templates/{template}/versions", right: "read", tag: "templates" },
  compareVersion: { method: "GET", path: "/templates/{template}/versions/{version}", right: "read", tag: "templates" },
  approveVersion: { method: "POST", path: "/templates/{template}/versions/{version}/approval", right: "work", tag: "templates" },
  restoreTemplate: { method: "POST", path: "/templates/{template}/versions/{version}/restoration", right: "work", tag: "templates" },

  showPrompt: { method: "POST", path: "/prompt", right: "read", tag: "try" },
  tryRow: { method: "POST", path: "/try", right: "work", tag: "try" },

  drawSamples: { method: "POST", path: "/plans/{plan}/samples", right: "work", tag: "samples" },
  addExample: { method: "POST", path: "/templates/{template}/examples", right: "work", tag: "samples" },
  addSample: { method: "POST", path: "/templates/{template}/samples", right: "work", tag: "samples" },
  readLabels: { method: "GET", path: "/samples", right: "read", tag: "samples" },
  labelRow: { method: "POST", path: "/samples/labels", right: "work", tag: "samples" },
  settleSamples: { method: "POST", path: "/samples/settlement", right: "work", tag: "samples" },
  sealSamples: { method: "POST", path: "/samples/seal", right: "work", tag: "samples" },

  listTrials: { method: "GET", path: "/trials", right: "read", tag: "trials" },
  readTrial: { method: "POST", path: "/templates/{template}/trials/query", right: "read", tag: "trials" },
  trialTemplate: {
    method: "POST",
    path: "/templates/{template}/trials",
    right: "work",
    goesOn: true,
    without: ["page"],
    tag: "trials",
  },

  newPlan: { method: "POST", path: "/plans", right: "work", tag: "plans" },
  showPlan: { method: "GET", path: "/plans/{plan}", right: "read", tag: "plans" },
  readWay: { method: "GET", path: "/plans/{plan}/way", right: "read", tag: "plans" },
  readPlanSource: { method: "GET", path: "/plans/{name}/source", right: "read", job: "readSource", fixed: plan, tag: "plans" },
  checkPlanSource: { method: "POST", path: "/plans/{name}/source/check", right: "read", job: "checkSource", fixed: plan, tag: "plans" },
  savePlanSource: { method: "PUT", path: "/plans/{name}/source", right: "work", job: "saveSource", fixed: plan, tag: "plans" },
  addStep: { method: "POST", path: "/plans/{plan}/steps", right: "work", tag: "plans" },
  pointPlan: { method: "POST", path: "/plans/{plan}/table", right: "work", tag: "plans" },

  askTable: { method: "POST", path: "/inquiries", right: "work", tag: "tables" },
  readDrift: { method: "GET", path: "/plans/{plan}/drift", right: "read", tag: "fills" },
  askSealed: { method: "POST", path: "/plans/{plan}/drift/sealed", right: "work", tag: "fills" },
  seeDrift: { method: "PUT", path: "/plans/{plan}/drift/seen", right: "work", tag: "fills" },
  keepQuestion: { method: "PUT", path: "/plans/{plan}/questions", right: "work", tag: "tables" },
  readRows: { method: "POST", path: "/plans/{plan}/rows/query", right: "read", tag: "tables" },
  addRows: { method: "POST", path: "/plans/{plan}/rows", right: "work", tag: "tables" },
  readColumn: { method: "POST", path: "/plans/{plan}/columns/{column}/figures", right: "read", tag: "tables" },
  readCross: { method: "POST", path: "/plans/{plan}/columns/{column}/across/{across}", right: "read", tag: "tables" },
  readStanding: { method: "POST", path: "/plans/{plan}/standing", right: "read", tag: "tables" },
  findRow: { method: "POST", path: "/plans/{plan}/rows/place", right: "read", tag: "tables" },
  explainRow: { method: "GET", path: "/plans/{plan}/rows/{key}", right: "read", tag: "cells" },
  showPictures: { method: "GET", path: "/plans/{plan}/rows/{key}/pictures", right: "read", tag: "cells" },
  changeCell: { method: "PUT", path: "/plans/{plan}/rows/{key}/cells/{column}", right: "work", tag: "cells" },
  restoreCell: { method: "DELETE", path: "/plans/{plan}/rows/{key}/cells/{column}", right: "work", tag: "cells" },
  askCellAgain: { method: "POST", path: "/plans/{plan}/rows/{key}/cells/{column}/again", right: "work", tag: "cells" },

  surveyPlan: { method: "GET", path: "/plans/{plan}/status", right: "read", tag: "fills" },
  reportPlan: { method: "POST", path: "/plans/{plan}/reports", right: "read", without: ["page", "keep"], tag: "fills" },
  markReport: { method: "PUT", path: "/plans/{plan}/reports/since", right: "work", tag: "fills" },
  readWatched: { method: "GET", path: "/watched", right: "read", tag: "fills" },
  tellChanges: { method: "GET", path: "/plans/{plan}/triggers", right: "read", tag: "fills" },
  readChanges: { method: "GET", path: "/plans/{plan}/changes", right: "read", tag: "fills" },
  previewFill: { method: "POST", path: "/plans/{plan}/preview", right: "read", tag: "fills" },
  fillPlan: { method: "POST", path: "/plans/{plan}/fills", right: "work", goesOn: true, tag: "fills" },
  undoFill: { method: "POST", path: "/plans/{plan}/fills/{run}/undo", right: "work", tag: "fills" },
  letStand: { method: "POST", path: "/plans/{plan}/let-stand", right: "work", tag: "fills" },
  writeReview: { method: "POST", path: "/plans/{plan}/write", right: "work", tag: "fills" },

  readReview: { method: "POST", path: "/plans/{plan}/held/query", right: "read", tag: "review" },
  decide: { method: "POST", path: "/plans/{plan}/decisions", right: "work", tag: "review" },
  undoDecision: { method: "POST", path: "/plans/{plan}/decisions/undo", right: "work", tag: "review" },
  readCheck: { method: "GET", path: "/plans/{plan}/check", right: "read", tag: "review" },
  drawCheck: { method: "POST", path: "/plans/{plan}/check", right: "work", tag: "review" },
  judgeChecked: { method: "POST", path: "/plans/{plan}/check/findings", right: "work", tag: "review" },
  showReview: { method: "GET", path: "/plans/{plan}/review", right: "read", tag: "review" },
  keepAsSamples: { method: "POST", path: "/plans/{plan}/review/samples", right: "work", tag: "review" },

  listRuns: { method: "GET", path: "/runs", right: "read", tag: "runs" },
  readSpend: { method: "GET", path: "/spend", right: "read", tag: "runs" },
} as const satisfies Record<string, Route>;

/** The name of a route, by which a client calls it. */
export type RouteName = keyof typeof ROUTES;

/** The names in braces. */
export const pathKeys = (path: string): string[] => [...path.matchAll(/\{(\w+)\}/g)].map(([, key]) => key!);
