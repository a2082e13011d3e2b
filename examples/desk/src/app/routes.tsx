import { createRootRoute, createRoute, createRouter, lazyRouteComponent, Outlet } from "@tanstack/react-router";
import { beginSearch } from "../pages/begin/place.js";
import { NowPage } from "../pages/now/page.js";
import { tableSearch } from "../pages/table/search.js";
import { Lost } from "./lost.js";

const root = createRootRoute({
  component: Outlet,
  notFoundComponent: () => <Lost />,
  errorComponent: ({ error }) => <Lost error={error} />,
});
const text = (value: unknown): string | undefined => (typeof value === "string" && value !== "" ? value : undefined);

const now = createRoute({
  getParentRoute: () => root,
  path: "/",
  component: NowPage,
});
const begin = createRoute({
  getParentRoute: () => root,
  path: "/begin",
  validateSearch: beginSearch,
  component: lazyRouteComponent(() => import("../pages/begin/page.js"), "BeginPage"),
});
const table = createRoute({
  getParentRoute: () => root,
  path: "/table/$plan",
  validateSearch: tableSearch,
  component: lazyRouteComponent(() => import("../pages/table/page.js"), "TablePage"),
});
const review = createRoute({
  getParentRoute: () => root,
  path: "/review/$plan",
  validateSearch: (given: Record<string, unknown>): { key?: string; of?: "held" | "check"; step?: string } => ({
    ...(text(given["key"]) ? { key: text(given["key"])! } : {}),
    ...(text(given["step"]) ? { step: text(given["step"])! } : {}),
    ...(given["of"] === "check" ? { of: "check" as const } : {}),
  }),
  component: lazyRouteComponent(() => import("../pages/review/page.js"), "ReviewPage"),
});

const ofPlan = (given: Record<string, unknown>): { plan?: string; row?: string } => ({
  ...(text(given["plan"]) ? { plan: text(given["plan"])! } : {}),
  ...(text(given["row"]) ? { row: text(given["row"])! } : {}),
});
const template = createRoute({
  getParentRoute: () => root,
  path: "/template/$template",
  validateSearch: ofPlan,
  component: lazyRouteComponent(() => import("../pages/template/page.js"), "TemplatePage"),
});
const trials = createRoute({
  getParentRoute: () => root,
  path: "/trials/$template",
  validateSearch: (given: Record<string, unknown>): { plan?: string; run?: string; part?: string; against?: readonly string[] } => ({
    ...ofPlan(given),
    ...(text(given["run"]) ? { run: text(given["run"])! } : {}),
    ...(text(given["part"]) ? { part: text(given["part"])! } : {}),
    ...(Array.isArray(given["against"]) ? { against: given["against"].map(String) } : {}),
  }),
  component: lazyRouteComponent(() => import("../pages/trials/page.js"), "TrialsPage"),
});
const samples = createRoute({
  getParentRoute: () => root,
  path: "/samples/$template",
  validateSearch: ofPlan,
  component: lazyRouteComponent(() => import("../pages/samples/page.js"), "SamplesPage"),
});
const plan = createRoute({
  getParentRoute: () => root,
  path: "/plan/$plan",
  component: lazyRouteComponent(() => import("../pages/plan/page.js"), "PlanPage"),
});
const runs = createRoute({
  getParentRoute: () => root,
  path: "/runs",
  component: lazyRouteComponent(() => import("../pages/runs/page.js"), "RunsPage"),
});

const report = createRoute({
  getParentRoute: () => root,
  path: "/report/$plan",
  component: lazyRouteComponent(() => import("../pages/report/page.js"), "ReportPage"),
});
const ask = createRoute({
  getParentRoute: () => root,
  path: "/ask/$plan",
  validateSearch: (given: Record<string, unknown>): { question?: string } =>
    text(given["question"]) ? { question: text(given["question"])! } : {},
  component: lazyRouteComponent(() => import("../pages/ask/page.js"), "AskPage"),
});

const tree = root.addChildren([now, begin, table, review, template, trials, samples, plan, runs, report, ask]);

export const router = createRouter({ routeTree: tree, basepath: "/desk", defaultPreload: "intent", scrollRestoration: true });

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
