export type { OpenModel } from "./models.js";
export { askLoaded } from "./ask.js";
export { packTemplates, unpackTemplates, type Arrival } from "./bundles.js";
export { draftTemplate, type Draft } from "./draft.js";
export { copyTemplate, findTemplates, restoreVersion, writeTemplate, type ListedTemplate } from "./library.js";
export { openProject, type Project, type ProjectOptions, type ProjectTemplates } from "./project.js";
export { listStarters, packageFolder, writeStarter, type Starter } from "./starters.js";
export { PROJECT_FILE, PROJECT_FORMAT, projectFileSchema, type ModelEntry, type ProjectFile } from "./project-file.js";
export type { LoadedTemplate, TemplateModels } from "./loaded.js";
