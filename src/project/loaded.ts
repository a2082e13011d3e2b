import type { Json, Model, Template } from "../core/index.js";
import type { OpenModel } from "./models.js";

/** A template of the project, with the file it came from. */
export interface LoadedTemplate<Inputs = Record<string, Json>, Parts = Record<string, Json>> {
  readonly template: Template<Inputs, Parts>;
  /** Relative to the project. */
  readonly file: string;
  readonly text: string;
}

/** The model that answers a template, and those it names besides. */
export interface TemplateModels extends OpenModel {
  readonly others: Readonly<Record<string, Model>>;
}
