export { areaOf, areaText, columnLetters, columnNumber, firstFree, type Area } from "./areas.js";
export { asFile, sheetNameFor } from "./new-package.js";
export { openPackage, orUnreadable, type PackageFile } from "./package-file.js";
export {
  attribute,
  edited,
  escapeAttribute,
  escapeText,
  localName,
  prefixOf,
  tagsOf,
  withAttribute,
  XmlFault,
  XmlScanner,
  type Handlers,
  type Tag,
} from "./xml.js";
