/** What the pages ask for: each with the name under which its answer is kept and the call that gets it, in one place, so that nothing is kept under
 *  another's name. Whoever says that something has changed (`stale.ts`) means it by the same names. What a page needs before it can ask, it may not
 *  know yet: then nothing is asked. */

import { infiniteQueryOptions, keepPreviousData, queryOptions, skipToken } from "@tanstack/react-query";
import { writeExact } from "../base/exact";
import { api } from "./index";
import type { DoneWanted } from "./people";
import type { StepPlace } from "./runs";
import type { SourceDocument } from "./shapes";
import type { Against, Look } from "./trends";
import type { Stretch } from "./watches";

type Maybe<T> = T | undefined;

/** What never changes under its name is asked for once. */
const FOR_EVER = { staleTime: Number.POSITIVE_INFINITY };
/** What another installation says (a database, a harbour) is not asked for at each click. */
const OFF_AND_ON = { staleTime: 60_000, retry: false } as const;

/** By one thing; nothing is asked of a name that is not known yet, or empty. */
const about =
  <const Name extends string, T, G>(name: Name, call: (of: T) => Promise<G>) =>
  (of: Maybe<T>) =>
    queryOptions({ queryKey: [name, of] as const, queryFn: of ? () => call(of) : skipToken });

/** By project. */
const ofProject = {
  suites: about("suites", api.suites),
  deleted: about("deleted", api.deleted),
  singles: about("singles", api.singleRequests),
  shared: about("shared", api.sharedSteps),
  environments: (project: Maybe<string>) =>
    queryOptions({ ...about("environments", api.environments)(project), staleTime: 60_000 }),
  values: about("values", api.values),
  lifts: about("lifts", api.lifts),
  lift: (project: string, literal: string, name: string) =>
    queryOptions({
      queryKey: ["lift", project, literal, name] as const,
      queryFn: () => api.lift({ project, literal, name: name || "value" }),
      placeholderData: keepPreviousData,
      retry: false,
    }),
  keeping: about("keeping", api.keeping),
  deliveryRules: about("delivery rules", api.deliveryRules),
  deliveries: about("deliveries", api.deliveries),
  files: about("files", api.files),
};

const ofWatches = {
  watches: about("watches", api.watches),
  watch: about("watch", api.watch),
  allowances: about("allowances", api.allowances),
  routes: about("routes", api.routes),
  alertMessages: about("alert messages", api.alertMessages),
  heads: about("heads", api.heads),
  watchRange: (project: Maybe<string>, stretch: Stretch) =>
    queryOptions({
      queryKey: ["watch range", project, stretch] as const,
      queryFn: project ? () => api.watchRange(project, stretch) : skipToken,
      placeholderData: keepPreviousData,
      structuralSharing: false, // lines are long, and nearly always others
      gcTime: 60_000,
    }),
  rangeOfWatch: (id: string, stretch: Stretch) =>
    queryOptions({
      queryKey: ["range of watch", id, stretch] as const,
      queryFn: () => api.rangeOfWatch(id, stretch),
      placeholderData: keepPreviousData,
      gcTime: 60_000,
    }),
  burns: (id: string) =>
    queryOptions({ queryKey: ["burns", id] as const, queryFn: () => api.burns(id), refetchInterval: 30_000 }),
  watchPhases: (id: string, stretch: Stretch) =>
    queryOptions({
      queryKey: ["watch phases", id, stretch] as const,
      queryFn: () => api.watchPhases(id, stretch),
      placeholderData: keepPreviousData,
      gcTime: 60_000,
    }),
  watchRuns: (id: Maybe<string>, stretch: Stretch, bad: boolean, limit: number) =>
    queryOptions({
      queryKey: ["watch runs", id, stretch, bad, limit] as const,
      queryFn: id ? () => api.watchRuns(id, stretch, bad, limit) : skipToken,
      placeholderData: keepPreviousData,
    }),
  watchRun: (id: string, due: Maybe<string>) =>
    queryOptions({
      queryKey: ["watch run", id, due] as const,
      queryFn: due ? () => api.watchRun(id, due) : skipToken,
      ...FOR_EVER,
    }),
  troubles: (project: Maybe<string>, stretch: Stretch, watch?: string) =>
    queryOptions({
      queryKey: ["troubles", project, stretch, watch] as const,
      queryFn: project ? () => api.troubles(project, stretch, watch) : skipToken,
      placeholderData: keepPreviousData,
    }),
  watchSentence: (project: Maybe<string>, sentence: string) =>
    queryOptions({
      queryKey: ["watch sentence", project, sentence] as const,
      queryFn: project && sentence.trim() ? () => api.readSentence(project, sentence) : skipToken,
      placeholderData: keepPreviousData,
      retry: false,
    }),
};

/** By project, and what is looked at; what was shown stays until the new is there. */
const looking =
  <const Name extends string, T>(name: Name, call: (project: string, look: Look) => Promise<T>) =>
  (project: Maybe<string>, look: Look) =>
    queryOptions({
      queryKey: [name, project, look] as const,
      queryFn: project ? () => call(project, look) : skipToken,
      placeholderData: keepPreviousData,
      gcTime: 60_000,
    });

const ofTrends = {
  today: (project: Maybe<string>, since: string) =>
    queryOptions({
      queryKey: ["today", project, since] as const,
      queryFn: project ? () => api.today(project, since) : skipToken,
      placeholderData: keepPreviousData,
      refetchInterval: 60_000,
    }),
  trendPlaces: about("trend places", api.trendPlaces),
  moved: looking("moved", api.moved),
  suitesOverTime: looking("suites over time", api.suitesOverTime),
  trust: looking("trust", api.trust),
  followed: (project: Maybe<string>, look: Look, kind: string, find: string) =>
    queryOptions({
      queryKey: ["followed", project, look, kind, find] as const,
      queryFn: project ? () => api.followed(project, look, kind, find) : skipToken,
      placeholderData: keepPreviousData,
    }),
  series: (id: string, look: Look) =>
    queryOptions({
      queryKey: ["series", id, look] as const,
      queryFn: () => api.series(id, look),
      placeholderData: keepPreviousData,
    }),
  noticing: (id: Maybe<string>) =>
    queryOptions({
      queryKey: ["noticing", id] as const,
      queryFn: id ? () => api.noticing(id) : skipToken,
      staleTime: 60_000,
    }),
  checkRecords: (id: string, environment: string) =>
    queryOptions({
      queryKey: ["checkRecords", id, environment] as const,
      queryFn: () => api.checkRecords(id, environment),
      staleTime: 60_000,
    }),
  spent: (project: Maybe<string>, look: Look, suite: string) =>
    queryOptions({
      queryKey: ["spent", project, look, suite] as const,
      queryFn: project ? () => api.spent(project, look, suite) : skipToken,
      placeholderData: keepPreviousData,
    }),
  cycles: (project: Maybe<string>, look: Look, suite: string) =>
    queryOptions({
      queryKey: ["cycles", project, look, suite] as const,
      queryFn: project ? () => api.cycles(project, look, suite) : skipToken,
      placeholderData: keepPreviousData,
    }),
  comparedTimes: (project: Maybe<string>, against: Against) =>
    queryOptions({
      queryKey: ["compared times", project, against] as const,
      queryFn: project ? () => api.comparedTimes(project, against) : skipToken,
      placeholderData: keepPreviousData,
    }),
};

const ofData = {
  sources: about("sources", api.sources),
  databases: about("databases", api.databases),
  outputTables: about("output tables", api.outputTables),
  fileVersions: (project: string, file: string, changedAt: string | null) =>
    queryOptions({
      queryKey: ["file versions", project, file, changedAt] as const,
      queryFn: () => api.fileVersions(project, file),
    }),
  fileChanges: (project: string, source: SourceDocument, before: number, after: number) =>
    queryOptions({
      queryKey: ["file changes", project, writeExact(source), before, after] as const,
      queryFn: () => api.compareVersions(project, source, before, after),
      ...FOR_EVER,
      retry: false,
    }),
  /** The tables of a database, or the columns and rows of one. */
  look: (project: Maybe<string>, environment: string, database: string, table: string) =>
    queryOptions({
      queryKey: ["look", project, environment, database, table] as const,
      queryFn: project && database ? () => api.look(project, environment, database, table) : skipToken,
      ...OFF_AND_ON,
    }),
  lookAtRows: (project: string, environment: string, source: Maybe<SourceDocument>) =>
    queryOptions({
      queryKey: ["look at rows", project, environment, source && writeExact(source)] as const,
      queryFn: source ? () => api.lookAtRows(project, environment, source) : skipToken,
      ...OFF_AND_ON,
    }),
  /** How a source reads; again once its file is another or its rows were asked for anew. */
  lookAtSource: (project: string, source: Maybe<SourceDocument>, ...since: unknown[]) =>
    queryOptions({
      queryKey: ["look at source", project, source && writeExact(source), ...since] as const,
      queryFn: source ? () => api.lookAtSource(project, source) : skipToken,
      placeholderData: keepPreviousData,
    }),
  profile: (project: string, source: Maybe<SourceDocument>, ...since: unknown[]) =>
    queryOptions({
      queryKey: ["profile", project, source && writeExact(source), ...since] as const,
      queryFn: source ? () => api.profileSource(project, source) : skipToken,
    }),
};

const ofSuite = {
  suiteRows: about("suite rows", api.suiteRows),
  keptWorkbook: about("kept workbook", api.keptWorkbook),
  coverage: (suite: string, only?: string) =>
    queryOptions({
      queryKey: ["coverage", suite, only] as const,
      queryFn: () => (only ? api.caseCoverage(only) : api.suiteCoverage(suite)),
    }),
};

/** Also of shared steps and single requests, which are cases that stand elsewhere. */
const ofCase = {
  case: about("case", api.case),
  caseText: (id: string, version: number) =>
    queryOptions({
      queryKey: ["case text", id, version] as const,
      queryFn: () => api.caseText(id),
      placeholderData: keepPreviousData,
    }),
  caseRows: (id: string, version: number) =>
    queryOptions({
      queryKey: ["case rows", id, version] as const,
      queryFn: () => api.caseRows(id),
      placeholderData: keepPreviousData,
    }),
  evidence: (id: string, run = "", row = 0) =>
    queryOptions({
      queryKey: ["evidence", id, run, row] as const,
      queryFn: () => api.evidence(id, run, row),
      placeholderData: keepPreviousData,
    }),
  seen: (id: string, step: Maybe<string>) =>
    queryOptions({
      queryKey: ["seen", id, step] as const,
      queryFn: step ? () => api.seen(id, step) : skipToken,
    }),
  proposals: (id: string, step: string) =>
    queryOptions({
      queryKey: ["proposals", id, step] as const,
      queryFn: () => api.proposals(id, step),
      staleTime: 0,
    }),
  repeated: about("repeated", api.repeated),
  alike: about("alike", api.alike),
  sendings: about("sendings", api.sendings),
  revisions: (id: string, version: number) =>
    queryOptions({ queryKey: ["revisions", id, version] as const, queryFn: () => api.revisions(id) }),
  revision: (id: string, chosen: Maybe<number>, version: number) =>
    queryOptions({
      queryKey: ["revision", id, chosen, version] as const,
      queryFn: chosen === undefined ? skipToken : () => api.revision(id, chosen),
    }),
  finished: (id: string, version: number, step: string, environment: string) =>
    queryOptions({
      queryKey: ["finished", id, version, step, environment] as const,
      queryFn: () => api.finished(id, step, environment),
    }),
};

const ofRuns = {
  runs: (project: Maybe<string>) =>
    infiniteQueryOptions({
      queryKey: ["runs", project, "all"] as const,
      queryFn: project ? ({ pageParam }) => api.runs(project, pageParam || undefined) : skipToken,
      initialPageParam: "",
      getNextPageParam: (page) => page.next,
    }),
  /** Looked at again while there is one. */
  goingOn: (project: Maybe<string>) =>
    queryOptions({
      ...about("going on", api.goingOn)(project),
      refetchInterval: ({ state }) => (state.data?.items.length ? 2_000 : false),
    }),
  /** Of a step that ended: it does not change. */
  sincePass: (of: StepPlace) =>
    queryOptions({
      queryKey: ["since pass", of] as const,
      queryFn: () => api.sincePass(of),
      ...FOR_EVER,
    }),
  /** Looked at again while some of it is being removed. */
  left: (run: string, whole: boolean) =>
    queryOptions({
      queryKey: ["left", run, whole] as const,
      queryFn: () => api.left(run, whole),
      refetchInterval: ({ state }) =>
        state.data?.removals.some((one) => one.state !== "finished") ? 1_000 : false,
    }),
  compared: (run: string, other: string) =>
    queryOptions({
      queryKey: ["compared", run, other] as const,
      queryFn: () => api.compared(run, other),
    }),
  history: (id: string, environment: string) =>
    infiniteQueryOptions({
      queryKey: ["history", id, environment] as const,
      queryFn: ({ pageParam }) => api.history(id, environment, pageParam || undefined),
      initialPageParam: "",
      getNextPageParam: (page) => page.next,
    }),
  addresses: about("addresses", api.addresses),
  newestRuns: (project: Maybe<string>) =>
    queryOptions({
      queryKey: ["runs", project, "newest"] as const,
      queryFn: project ? () => api.runs(project) : skipToken,
    }),
  runsOf: (project: Maybe<string>, id: string) =>
    queryOptions({
      queryKey: ["runs of", id] as const,
      queryFn: project ? () => api.runsOf(project, id) : skipToken,
    }),
  run: about("run", api.run),
  /** A row's steps as they were recorded; without a row a case's. */
  runCase: (run: string, position: Maybe<number>, row: Maybe<number>, steps: Maybe<number>) =>
    queryOptions({
      queryKey: ["run case", run, position, row, steps] as const,
      queryFn: () => api.runCase(run, position ?? 0, row),
    }),
  runRows: (
    run: string,
    position: number,
    count: number,
    asked: { [name: string]: string },
    page: { offset: number; limit: number },
  ) =>
    queryOptions({
      queryKey: ["run rows", run, position, count, asked, page] as const,
      queryFn: () =>
        api.runRows(run, position, { ...asked, offset: String(page.offset), limit: String(page.limit) }),
      placeholderData: keepPreviousData,
      staleTime: 60_000,
    }),
  /** `wrong`: how many cases and rows went wrong, as far as is known. */
  causes: (run: string, wrong: number) =>
    queryOptions({
      queryKey: ["causes", run, wrong] as const,
      queryFn: wrong ? () => api.causes(run) : skipToken,
      placeholderData: keepPreviousData,
    }),
  notMet: (run: Maybe<string>) =>
    queryOptions({ queryKey: ["not met", run] as const, queryFn: run ? () => api.notMet(run) : skipToken }),
  failures: (run: string, signature: string, failures: number) =>
    infiniteQueryOptions({
      queryKey: ["failures", run, signature, failures] as const,
      queryFn: ({ pageParam }) => api.failures(run, signature, pageParam),
      initialPageParam: 0,
      getNextPageParam: (page) => (page.next ? Number(page.next) : undefined),
      placeholderData: keepPreviousData,
    }),
  inCommon: (run: string, position: number) =>
    queryOptions({
      queryKey: ["in common", run, position] as const,
      queryFn: () => api.inCommon(run, position),
      ...FOR_EVER,
    }),
  outputRows: (project: string, table: string, run: string) =>
    infiniteQueryOptions({
      queryKey: ["output rows", project, table, run] as const,
      queryFn: ({ pageParam }) => api.outputRows(project, table, run, pageParam),
      initialPageParam: 0,
      getNextPageParam: (page) => (page.next ? Number(page.next) : undefined),
    }),
};

/** An answer's body, as it is read by whoever shows it. */
const ofExchange = {
  answerText: (exchange: string) =>
    queryOptions({
      queryKey: ["answer", exchange] as const,
      queryFn: () => api.answerText(exchange),
      ...FOR_EVER,
    }),
  answerAs: <Read>(exchange: string, shown: string, read: () => Promise<Read>) =>
    queryOptions({ queryKey: ["answer as", exchange, shown] as const, queryFn: read, ...FOR_EVER }),
};

const ofInstallation = {
  /** Who asks, if they are known here. */
  entry: () => queryOptions({ queryKey: ["entry"] as const, queryFn: api.entry, staleTime: 60_000 }),
  /** What a link that lets somebody in is for. */
  link: (token: string) =>
    queryOptions({ queryKey: ["link", token] as const, queryFn: () => api.lookAtLink(token), ...FOR_EVER }),
  projects: () => queryOptions({ queryKey: ["projects"] as const, queryFn: api.projects }),
  storage: () => queryOptions({ queryKey: ["storage"] as const, queryFn: api.storage }),
  formatWords: () => queryOptions({ queryKey: ["format"] as const, queryFn: api.formatWords, ...FOR_EVER }),
};

const ofPeople = {
  members: about("members", api.members),
  invitations: about("invitations", api.invitations),
  keysInto: about("keys into", api.keysInto),
  keys: () => queryOptions({ queryKey: ["keys"] as const, queryFn: api.keys }),
  sessions: () => queryOptions({ queryKey: ["sessions"] as const, queryFn: api.sessions }),
  accounts: () => queryOptions({ queryKey: ["accounts"] as const, queryFn: api.accounts }),
  accountInvitations: () =>
    queryOptions({ queryKey: ["account invitations"] as const, queryFn: api.accountInvitations }),
  secondFactorRule: () =>
    queryOptions({ queryKey: ["second factor rule"] as const, queryFn: api.secondFactorRule }),
  reach: () => queryOptions({ queryKey: ["reach"] as const, queryFn: api.reach }),
  provider: () => queryOptions({ queryKey: ["provider"] as const, queryFn: api.provider }),
  shares: about("shares", api.shares),
  pictures: about("pictures", api.pictures),
  done: (wanted: DoneWanted) =>
    infiniteQueryOptions({
      queryKey: ["done", wanted] as const,
      queryFn: ({ pageParam }) => api.done(wanted, pageParam),
      initialPageParam: "",
      getNextPageParam: (page) => page.next ?? undefined,
      placeholderData: keepPreviousData,
    }),
};

export const queries = {
  ...ofPeople,
  ...ofInstallation,
  ...ofProject,
  ...ofData,
  ...ofWatches,
  ...ofTrends,
  ...ofSuite,
  ...ofCase,
  ...ofRuns,
  ...ofExchange,
};
