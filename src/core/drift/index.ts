export { compareDays, LEAST_OF_DAY, LEAST_OF_REFERENCE, type ColumnDrift, type ValueCounts } from "./compare-days.js";
export {
  DEFAULT_FALSE_ALARM_DAYS,
  DEFAULT_REFERENCE_DAYS,
  DOUBT,
  planDrift,
  type DayDrift,
  type PlanDrift,
  type Reference,
} from "./days.js";
