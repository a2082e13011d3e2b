export type { OpenModel } from "./models.js";
export { OWN_VERSION, type AskedOptions } from "./asking.js";
export { insideProject } from "./files.js";
export { openProject } from "./project.js";
export type { Project, ProjectOptions, ProjectTemplates } from "./project-port.js";
export { PROJECT_FILE, PROJECT_FORMAT, projectFileSchema, type ModelEntry, type ProjectFile } from "./project-file.js";
export type { LoadedTemplate, TemplateModels } from "./loaded.js";
