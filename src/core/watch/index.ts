export { dayStart, leftOfDay, nextDay, type LeftOfDay } from "./day.js";
export { Gathered, type Changed } from "./gathered.js";
export { lookThrough, type Look, type RowMarks } from "./row-marks.js";
