/** The places and their addresses. Each is a script of its own, read when it is first gone to; the
 *  others follow while nothing is asked of the page, so that going to them does not wait. */
import type { ComponentType } from "react";
import type { RouteObject } from "react-router";
import { NotLoaded } from "../parts/Notice";

type Load = () => Promise<ComponentType>;

const PAGES: Record<string, Load> = {
  cases: () => import("./cases/CasesPage").then((part) => part.CasesPage),
  "cases/:id": () => import("./case/CasePage").then((part) => part.CasePage),
  "cases/:id/runs": () => import("./runs/HistoryPage").then((part) => part.HistoryPage),
  "cases/recording": () => import("./cases/recording/RecordingPage").then((part) => part.RecordingPage),
  "cases/single": () => import("./cases/single/SinglesPage").then((part) => part.SinglesPage),
  "cases/suite/:id": () => import("./cases/sheet/SuiteSheet").then((part) => part.SuiteSheet),
  "cases/workbook": () => import("./cases/workbook/WorkbookPage").then((part) => part.WorkbookPage),
  "cases/fields": () => import("./case/fields/FieldsPage").then((part) => part.FieldsPage),
  data: () => import("./data/DataPage").then((part) => part.DataPage),
  "data/source": () => import("./data/SourcePage").then((part) => part.SourcePage),
  runs: () => import("./runs/RunsPage").then((part) => part.RunsPage),
  watches: () => import("./watches/WatchesPage").then((part) => part.WatchesPage),
  "watches/new": () => import("./watches/NewWatchPage").then((part) => part.NewWatchPage),
  "watches/wall": () => import("./watches/WallPage").then((part) => part.WallPage),
  "watches/report": () => import("./watches/SupplierPage").then((part) => part.SupplierPage),
  "watches/routes": () => import("./watches/RoutesPage").then((part) => part.RoutesPage),
  "watches/:id": () => import("./watches/WatchPage").then((part) => part.WatchPage),
  today: () => import("./today/TodayPage").then((part) => part.TodayPage),
  trends: () => import("./trends/TrendsPage").then((part) => part.TrendsPage),
  "trends/time": () => import("./trends/SpentPage").then((part) => part.SpentPage),
  "trends/runs": () => import("./trends/CyclesPage").then((part) => part.CyclesPage),
  "trends/compared": () => import("./trends/ComparedPage").then((part) => part.ComparedPage),
  "trends/all": () => import("./trends/AllPage").then((part) => part.AllPage),
  "trends/:id": () => import("./trends/SeriesPage").then((part) => part.SeriesPage),
  "runs/:id/beside/:other": () => import("./runs/ComparePage").then((part) => part.ComparePage),
  "runs/:id": () => import("./runs/RunPage").then((part) => part.RunPage),
  you: () => import("./setup/people/YouPage").then((part) => part.YouPage),
  "setup/people": () => import("./setup/people/PeoplePage").then((part) => part.PeoplePage),
  "setup/done": () => import("./setup/people/DonePage").then((part) => part.DonePage),
  "setup/everybody": () => import("./setup/people/EverybodyPage").then((part) => part.EverybodyPage),
  setup: () => import("./setup/SetupPage").then((part) => part.SetupPage),
};

/** A page that could not be read or drawn says so below the head, which stays; while the first one
 *  is read, the head stands alone. */
export const PLACES: RouteObject = {
  HydrateFallback: () => null,
  errorElement: <NotLoaded />,
  children: Object.entries(PAGES).map(([path, load]) => ({
    path,
    lazy: async () => ({ Component: await load() }),
  })),
};

/** Reads what else pages are made of, and the pages that were not gone to yet, one after the other, beginning `after` milliseconds
 *  from now. A browser does not ask again for a script that it could not have: the page then says so, and
 *  offers to be read again. */
export function readAhead(after: number, ...more: (() => Promise<unknown>)[]): void {
  window.setTimeout(async () => {
    for (const load of [...more, ...Object.values(PAGES)]) await load().catch(() => undefined);
  }, after);
}
