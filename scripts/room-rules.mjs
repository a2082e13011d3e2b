/** Who may import whom. Read by check-rooms.mjs; told in docs/decisions.md. */
const CORE_ROOMS = [
  "ground",
  "table",
  "statistics",
  "kinds",
  "sources",
  "template",
  "model",
  "answer",
  "ledger",
  "asking",
  "trial",
  "plan",
  "review",
  "cells",
  "fill",
  "spread",
  "deciding",
  "derive",
  "afterwards",
  "watch",
  "view",
  "inquiry",
  "report",
  "drift",
  "standin",
];

const upwards = CORE_ROOMS.map((room, index) => ({
  name: `core-${room}-imports-only-rooms-above`,
  comment: "Inside the core a room imports only from rooms above it.",
  from: { path: `^src/core/${room}/`, pathNot: "\\.test(-d)?\\.ts$" },
  to: { path: `^src/core/(${CORE_ROOMS.slice(index + 1).join("|") || "-"})/` },
}));

export const forbidden = [
  ...upwards,
  { name: "no-cycles", comment: "Files must not import each other in a circle.", from: {}, to: { circular: true } },
  {
    name: "core-is-pure",
    comment: "The core imports nothing from outside itself but packages.",
    from: { path: "^src/core/" },
    to: { path: "^src/(?!core/)" },
  },
  {
    name: "core-without-node",
    comment: "The core runs in a browser.",
    from: { path: "^src/core/", pathNot: "\\.test(-d)?\\.ts$" },
    to: { dependencyTypes: ["core"] },
  },
  {
    name: "front-doors",
    comment: "A room is entered by its index.ts.",
    from: { path: "^src/core/([^/]+)/" },
    to: { path: "^src/core/[^/]+/", pathNot: ["^src/core/$1/", "/index\\.ts$"] },
  },
  {
    name: "core-front-doors-from-outside",
    comment: "The core is entered by its index.ts; the stand-in by its own.",
    from: { path: "^src/(adapters|files|services|project|jobs)/" },
    to: { path: "^src/core/", pathNot: ["^src/core/index\\.ts$", "^src/core/standin/index\\.ts$"] },
  },
  {
    name: "adapters-know-no-sibling",
    comment: "An adapter imports the core and its own library, never another adapter, a service or what stands above.",
    from: { path: "^src/adapters/([^/]+)/" },
    to: { path: "^src/(adapters|services|project|jobs|cli|server)/", pathNot: "^src/adapters/$1/" },
  },
  {
    name: "files-know-the-core-only",
    comment: "What all file tables share imports the core only.",
    from: { path: "^src/files/" },
    to: { path: "^src/(adapters|services|project|jobs|cli|server)/" },
  },
  {
    name: "services-know-no-wiring",
    comment: "A service imports the core only.",
    from: { path: "^src/services/([^/]+)/" },
    to: { path: "^src/(adapters|services|project|jobs|cli|server)/", pathNot: "^src/services/$1/" },
  },
  {
    name: "project-below-jobs",
    comment: "The project knows neither jobs nor faces.",
    from: { path: "^src/project/" },
    to: { path: "^src/(jobs|cli|server)/" },
  },
  {
    name: "jobs-below-faces",
    comment: "A job knows no face.",
    from: { path: "^src/jobs/" },
    to: { path: "^src/(cli|server|client|api)/" },
  },
  {
    name: "faces-import-jobs",
    comment: "A face parses, runs a job and shows: it imports jobs by their front door, and the core's words, money and errors.",
    from: { path: "^src/(cli|server)/" },
    to: { path: "^src/(?!(cli|server)/)", pathNot: ["^src/jobs/index\\.ts$", "^src/core/ground/index\\.ts$", "^src/api/index\\.ts$"] },
  },
  {
    name: "faces-know-no-sibling",
    comment: "A face starts another one by its front door at most.",
    from: { path: "^src/(cli|server)/" },
    to: { path: "^src/(cli|server)/", pathNot: ["^src/$1/", "^src/server/index\\.ts$"] },
  },
  {
    name: "api-is-data",
    comment: "What of the API the server and its client share imports nothing.",
    from: { path: "^src/api/" },
    to: { path: "^src/(?!api/)" },
  },
  {
    name: "client-knows-types-only",
    comment: "The client imports the API's routes, and types by these doors; a test holds that nothing else gets into it.",
    from: { path: "^src/client/", pathNot: "\\.test\\.ts$" },
    to: { path: "^src/(?!(client|api)/)", pathNot: ["^src/jobs/(index|all|job)\\.ts$", "^src/server/index\\.ts$"] },
  },
];

/** What asks a model, or makes one that may be asked: `model.ask(…)`, and the names by which `core/answer` is told to. */
export const ASKS = /\b\w*[mM]odel(?:\(\))?\.ask\(|\b(?:askPrepared|askTogether|layered)\(/;

/** Who may: asking itself, what it is made of, those that are models or stand around one, and the contract of models. */
export const MAY_ASK = /^(core\/(asking|answer|model|standin)|adapters|services|contracts)\//;

const KINDS = "text|number|yesNo|date|choice|choices|score|list|record|rows|email|link|image|document|page";
/** A branch on the name of a kind. */
export const BRANCHES = new RegExp(`(?:\\bkind|\\.kind)\\s*[!=]==\\s*"(?:${KINDS})"|case "(?:${KINDS})":`);

/**
 * Who may: the kinds themselves; the stand-in, which reads its own words for them; what drafts a template from a model's words; SQL has
 * kinds of columns, and OpenDocument types of values; one of the things that `start` fills is called like a kind.
 */
export const MAY_BRANCH =
  /^(core\/(kinds|standin)\/|core\/template\/draft\.ts|adapters\/(ods|sql)\/|jobs\/start-files\.ts|cli\/commands\/start\.ts)/;
