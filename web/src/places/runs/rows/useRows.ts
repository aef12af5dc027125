import { useQueries } from "@tanstack/react-query";
import type { RunRow, Verdict } from "../../../api";
import { queries } from "../../../api/queries";
import type { Facts, Order } from "./rows";

export const PAGE = 100;

interface Asked {
  run: string;
  position: number;
  order: Order;
  verdicts: ReadonlySet<Verdict>;
  facts: Facts;
  /** How many rows there are so far; what was read before is read again when there are more. */
  count: number;
  first: number;
  last: number;
}

/** The rows from `first` to `last` of the matrix, page by page, each as it comes; an unknown one is undefined. */
export function useRows(asked: Asked): { row: (index: number) => RunRow | undefined; problem: Error | null } {
  const pages: number[] = [];
  for (let page = Math.floor(asked.first / PAGE); page * PAGE < Math.max(asked.last, 1); page += 1)
    pages.push(page);
  const kept = asked.facts.startsWith("kept ") ? asked.facts.slice(5) : "";
  const query = {
    sort: asked.order.by,
    down: String(asked.order.down),
    verdict: [...asked.verdicts].join(","),
    value: kept,
  };
  const found = useQueries({
    queries: pages.map((page) =>
      queries.runRows(asked.run, asked.position, asked.count, query, { offset: page * PAGE, limit: PAGE }),
    ),
  });
  return {
    row: (index) => {
      const page = Math.floor(index / PAGE);
      return found[pages.indexOf(page)]?.data?.items[index - page * PAGE];
    },
    problem: found.find((item) => item.error)?.error ?? null,
  };
}
