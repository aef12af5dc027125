import type { Case } from "../api";
import type { Document } from "./document";
import { newKey } from "./keys";

const LOCAL = "http://127.0.0.1:8421";

/** Three steps against the demonstration's harbour, to learn from: a list, one of its entries by its id, and who berths there. */
export function exampleSteps(of: Pick<Case, "scope" | "values">): Document {
  const known = [...of.values, ...of.scope].some((value) => value.name === "harbour");
  const list = newKey();
  const steps: Document[] = [
    {
      request: "List the vessels",
      key: list,
      send: "GET [=harbour]/vessels",
      expect: [
        { of: "status", is: 200 },
        { of: "$.items", empty: false },
      ],
      keep: { vesselId: "$.items[0].id", vesselName: "$.items[0].name" },
    },
    {
      request: "Read one of them",
      key: newKey(),
      send: "GET [=harbour]/vessels/[=vesselId]",
      expect: [
        { of: "status", is: 200 },
        { of: "$.name", is: "[=vesselName]" },
        { of: "$.lengthMetres", kind: "number" },
      ],
    },
    {
      request: "A vessel that does not exist",
      key: newKey(),
      send: "GET [=harbour]/vessels/V-0",
      expect: [{ of: "status", is: 404 }],
    },
  ];
  return known ? { steps } : { values: { harbour: LOCAL }, steps };
}
