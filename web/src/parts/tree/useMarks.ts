import { useRef, useState } from "react";
import type { TreeIndex } from "./indexer";
import { pickedOf } from "./picked";

/** Which nodes of a tree are marked, and of which one the acts are shown (`asked`: the key that asked for them). */
export function useMarks(index: TreeIndex) {
  const [acting, setActing] = useState<{ node: number; asked: string }>();
  const offered = useRef(acting);
  offered.current = acting;
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const mark = (node: number) => {
    const next = new Set(marked);
    if (!next.delete(node)) next.add(node);
    setMarked(next);
    setActing(
      next.size ? { node: next.has(node) ? node : ([...next].pop() as number), asked: "" } : undefined,
    );
  };
  /** One alone. */
  const pick = (node: number) => {
    setMarked(new Set());
    setActing({ node, asked: "" });
  };
  const leave = () => {
    setActing(undefined);
    setMarked(new Set());
  };
  /** What an act is about: the marked nodes in their order, or the one in focus. */
  const chosen = (node: number) =>
    (marked.size ? [...marked].sort((left, right) => left - right) : [node]).map((item) =>
      pickedOf(index, item),
    );
  return { acting, setActing, offered, marked, mark, pick, leave, chosen };
}
