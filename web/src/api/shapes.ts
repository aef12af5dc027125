/** What the API takes and gives. */

import type { Json } from "../base/exact";
import type { components } from "./api-types";

export type Shapes = components["schemas"];
export type Verdict = Shapes["LastVerdict"]["verdict"];
export type Project = Shapes["Project"];
export type Me = Shapes["Me"];
/** What one may do in a project. */
export type Right = Project["may"][number];
export type Member = Shapes["Member"];
export type Account = Shapes["Account"];
export type Key = Shapes["Key"];
export type Environment = Shapes["Environment"];
export type Keeping = Shapes["Keeping"];
export type Suite = Shapes["Suite"];
export type CaseLine = Shapes["CaseLine"];
export type Case = Shapes["Case"];
export type Step = Shapes["Step"];
export type Check = Shapes["Check"];
export type Piece = Shapes["Piece"];
export type Pair = Shapes["Pair"];
export type Thread = Shapes["Thread"];
export type Run = Shapes["Run"];
export type RunReport = Shapes["RunReport"];
export type RunCase = Shapes["RunCase"];
export type StepHead = Shapes["StepHead"];
export type StepName = Shapes["StepName"];
export type CaseRows = Shapes["CaseRows"];
export type RunRow = Shapes["RunRow"];
export type Known = Shapes["Known"];
export type Cause = Shapes["Cause"];
export type Failure = Shapes["Failure"];
export type RowCell = Shapes["RowCell"];
export type StepEvidence = Shapes["StepEvidence"];
export type Evidence = Shapes["Evidence"];
export type Exchange = Shapes["Exchange"];
export type Outcome = Shapes["Outcome"];
export type Understood = Shapes["Understood"];
export type Seen = Shapes["Seen"];
export type SeenPlace = Shapes["SeenPlace"];
export type EarlierPlace = Shapes["EarlierPlace"];
export type Repeated = Shapes["Repeated"];
export type Cleaned = Shapes["Cleaned"];
export type Revision = Shapes["Revision"];
export type RevisionDocument = Shapes["RevisionDocument"];
export type Other = Shapes["Other"];
export type TextFault = Shapes["TextFault"];
export type ReadText = Shapes["ReadText"];
export type FormatWord = Shapes["FormatWord"];
export type EveryAnswer = Shapes["EveryAnswer"];
export type SignIn = Shapes["SignIn"];
export type ProjectFile = Shapes["ProjectFile"];
export type Brought = Shapes["Brought"];
export type Proposals = Omit<Shapes["Proposals"], "items"> & {
  items: (Omit<Shapes["Proposals"]["items"][number], "check"> & { check: { [key: string]: Json } })[];
};
export type RecordedEntry = Omit<Shapes["RecordedEntry"], "step"> & { step: { [key: string]: Json } | null };
export type RecordedHandOver = Shapes["RecordedHandOver"];
export type CaseCoverage = Shapes["CaseCoverage"];
export type StepCoverage = Shapes["StepCoverage"];
export type UncheckedField = Shapes["UncheckedField"];
export type StoredRow = Shapes["StoredRow"];
export type ReadWorkbook = Shapes["ReadWorkbook"];
export type SheetTable = Shapes["SheetTable"];
export type TakenRows = Omit<Shapes["TakenRows"], "saved"> & {
  saved: (Omit<Shapes["SavedCase"], "before"> & { before: { [key: string]: Json } | null })[];
};
export type SingleRequest = Shapes["SingleRequest"];
export type Sending = Shapes["Sending"];
export type Recording = Omit<Shapes["Recording"], "entries"> & { entries: RecordedEntry[] };
export type SharedSteps = Shapes["SharedSteps"];
export type ValueRow = Shapes["ValueRow"];
export type ValueCell = Shapes["ValueCell"];
export type ValueChange = Shapes["ValueChange"];
export type LiftOffer = Shapes["LiftOffer"];
export type LiftedPlace = Shapes["LiftedPlace"];
export type Lifted = Omit<Shapes["Lifted"], "saved"> & { saved: TakenRows["saved"] };
/** What a source is, as it stands in the project; numbers as they were written. */
export type SourceDocument = { [key: string]: Json };
export type DataSource = Omit<Shapes["DataSource"], "document"> & { document: SourceDocument };
export type Database = Omit<Shapes["Database"], "document"> & { document: SourceDocument };
export type OutputTable = Shapes["OutputTable"];
export type LookedAt = Shapes["LookedAt"];
export type SourceFrame = Shapes["SourceFrame"];
export type SourceProfile = Shapes["SourceProfile"];
export type ColumnProfile = Shapes["ColumnProfile"];
export type FileVersion = Shapes["FileVersion"];
export type SourceChanges = Shapes["SourceChanges"];
export type Present = Shapes["Present"];
export type NewRun = Shapes["NewRun"];
/** A step that may change something where it is sent. */
export type ChangingStep = Shapes["ChangingStep"];
export type RunEvent = Shapes["Event"] & { run?: string };
export interface Page<Item> {
  items: Item[];
  next: string | null;
}
