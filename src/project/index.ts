export type { OpenModel } from "./models.js";
export { openProject, type LoadedTemplate, type Project, type ProjectOptions, type TemplateModels } from "./project.js";
export { listStarters, packageFolder, writeStarter, type Starter } from "./starters.js";
export { PROJECT_FILE, PROJECT_FORMAT, projectFileSchema, type ModelEntry, type ProjectFile } from "./project-file.js";
