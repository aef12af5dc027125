import type { CompletionContext } from "@codemirror/autocomplete";
import type { EditorView } from "@codemirror/view";
import { byName, type Insertable, type Reference } from "./inserting";

/** What `[=` offers: values in scope, then places of earlier answers, pipes and generators. */
export async function completed(
  context: CompletionContext,
  insertable: Insertable | undefined,
  take: (reference: Reference) => void,
) {
  const before = context.matchBefore(/\[=[^\][\n]*/);
  if (!before || !insertable) return null;
  const wanted = before.text.slice(2).trim().toLowerCase();
  const known = byName(insertable.known, wanted);
  const typed = before.text.slice(2);
  const [places, made] = await Promise.all([insertable.earlier(typed.trim()), insertable.made(typed)]);
  const offered = [...known.slice(0, 10), ...places.slice(0, 15), ...made];
  return {
    from: before.from,
    filter: false,
    options: offered.map((item) => ({
      label: item.name,
      detail: `${item.value} · ${item.keep ? `will be kept from ${item.from}` : item.from}`,
      apply: (view: EditorView, _completion: unknown, from: number, to: number) => {
        const rest = view.state.sliceDoc(to, to + 1) === "]" ? 1 : 0;
        const insert = `[=${item.name}]`;
        view.dispatch({
          changes: { from, to: to + rest, insert },
          selection: { anchor: from + insert.length },
        });
        if (item.keep) take(item);
      },
    })),
  };
}
