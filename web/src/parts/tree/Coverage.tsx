import { useMemo } from "react";
import { whole } from "../../base/format";
import type { TreeIndex } from "./indexer";
import { type Acts, pickedOf, type Watched } from "./picked";
import { isBranch, pathOf } from "./reading";

interface Props {
  index: TreeIndex;
  watch: (path: string) => Watched | undefined;
  rest: Acts["rest"] | undefined;
}

const MOST_COUNTED = 3000;
const MOST_AT_ONCE = 60;

/** How many of the answer's fields a check watches, and the rest of them made into checks in one act. */
export function Coverage({ index, watch, rest }: Props) {
  const [fields, unchecked] = useMemo(() => {
    const leaves: number[] = [];
    if (index.count > MOST_COUNTED) return [0, leaves];
    for (let node = 1; node < index.count; node++) if (!isBranch(index, node)) leaves.push(node);
    const open = leaves.filter((node) => !/checked|failed/.test(watch(pathOf(index, node))?.tone ?? ""));
    return [leaves.length, open];
  }, [index, watch]);
  if (!fields) return null;
  const checked = fields - unchecked.length;
  return (
    <div className="coverage">
      <meter min={0} max={fields} value={checked} aria-label="Fields of the answer that are checked" />
      <span>
        {whole(checked)} of {whole(fields)} fields are checked
      </span>
      {rest && unchecked.length > 0 && unchecked.length <= MOST_AT_ONCE && (
        <button
          type="button"
          className="plain-link"
          onClick={() => rest(unchecked.map((node) => pickedOf(index, node)))}
        >
          expect the rest as it is
        </button>
      )}
    </div>
  );
}
