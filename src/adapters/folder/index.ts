export { folderRows, type FolderOptions, type Mail } from "./folder-rows.js";
