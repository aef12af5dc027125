// What the tests of reading an answer speak to: the pages' pure parts, each under its name.
export * as exact from "../../web/src/base/exact";
export * as indexer from "../../web/src/parts/tree/indexer";
export * as facts from "../../web/src/parts/answerFacts";
export * as places from "../../web/src/base/places";
export * as reading from "../../web/src/parts/tree/reading";
export * as watching from "../../web/src/parts/watching";
export * as find from "../../web/src/parts/tree/find";
export * as hex from "../../web/src/parts/tree/hex";
