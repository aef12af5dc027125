// What the tests of rows speak to: the pages' pure parts, each under its name.
export * as columns from "../../web/src/case/rowColumns";
export * as handover from "../../web/src/case/handover";
export * as lookup from "../../web/src/case/lookup";
export * as source from "../../web/src/places/data/source";
