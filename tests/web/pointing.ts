// What the tests of pointing speak to: the pages' pure parts, each under its name.
export * as body from "../../web/src/places/cases/edit/expectedBody";
export * as document from "../../web/src/places/cases/edit/document";
export * as files from "../../web/src/places/cases/edit/files";
export * as format from "../../web/src/app/format";
export * as handover from "../../web/src/places/cases/edit/handover";
export * as indexer from "../../web/src/parts/tree/indexer";
export * as inserting from "../../web/src/parts/typing/inserting";
export * as naming from "../../web/src/places/cases/edit/naming";
export * as making from "../../web/src/places/cases/edit/making";
export * as pairs from "../../web/src/places/cases/edit/pairs";
export * as picked from "../../web/src/parts/tree/picked";
export * as places from "../../web/src/parts/places";
export * as report from "../../web/src/places/runs/report";
export * as sent from "../../web/src/places/cases/edit/sent";
export * as threads from "../../web/src/places/cases/threads";
export * as copied from "../../web/src/parts/copied";
export * as pasting from "../../web/src/places/cases/edit/pasting";
