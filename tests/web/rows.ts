// What the tests of rows speak to: the pages' pure parts, each under its name.
export * as columns from "../../web/src/places/cases/rows/columns";
export * as handover from "../../web/src/places/cases/edit/handover";
export * as lookup from "../../web/src/places/cases/edit/lookup";
export * as source from "../../web/src/places/data/source";
