import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import type { FormatWord } from "../../../api";

const KEY_PLACE = /(?:^|[{,]\s*|^\s*-\s+|^\s+)["']?([A-Za-z][A-Za-z -]*)?$/;
const SUBJECT_PLACE = /(?:\bof|for each):\s*["']?([^"'\s]*)$/;
const PIPE_PLACE = /\|\s+([a-z0-9-]*)$/;
const REFERENCE_PLACE = /\[=([^\]|[]*)$/;
const LOOSE_PLACE = /\[\?([^\]]*)$/;
const FORMAT_PLACE = /\bformat:\s*([a-z0-9-]*)$/;

/** What fits where the caret stands in a line: keys and relations, subjects, pipes, values and generators, loose values. */
export function completeWords(words: FormatWord[], names: string[], paths: string[]) {
  return (context: CompletionContext): CompletionResult | null => {
    const line = context.state.doc.lineAt(context.pos);
    const before = line.text.slice(0, context.pos - line.from);
    const at = (typed: string | undefined, options: Completion[], whole = false): CompletionResult | null => {
      if (!options.length || (!typed && !context.explicit && !whole)) return null;
      return { from: context.pos - (typed?.length ?? 0), options };
    };
    const of = (...kinds: string[]) =>
      words
        .filter((word) => kinds.includes(word.kind))
        .map((word) => ({ label: word.text, detail: word.about }));
    let found = LOOSE_PLACE.exec(before);
    if (found) return at(found[1], trimmed(of("loose"), "[?"), true);
    found = PIPE_PLACE.exec(before);
    if (found) return at(found[1], of("pipe"), true);
    found = REFERENCE_PLACE.exec(before);
    if (found) {
      const values = names.map((name) => ({ label: `${name}]`, detail: "a value" }));
      const made = of("generator").map((item) => ({ ...item, label: `${item.label}]` }));
      return at(found[1], [...values, ...made], true);
    }
    found = FORMAT_PLACE.exec(before);
    if (found) return at(found[1], of("format"), true);
    found = SUBJECT_PLACE.exec(before);
    if (found) return at(found[1], [...of("subject"), ...paths.map((path) => ({ label: path }))], true);
    found = KEY_PLACE.exec(before);
    if (!found) return null;
    const keys = of("key", "relation").map((item) => ({ ...item, apply: `${item.label}: ` }));
    return at(found[1], keys);
  };
}

const trimmed = (options: Completion[], begin: string): Completion[] =>
  options.map((item) => ({
    ...item,
    label: item.label.startsWith(begin) ? item.label.slice(begin.length) : item.label,
  }));

/** The word of the format at a place of a line, the longest that fits, with what it is for. */
export function wordAt(
  words: FormatWord[],
  line: string,
  at: number,
): { word: FormatWord; from: number } | undefined {
  let best: { word: FormatWord; from: number } | undefined;
  for (const word of words) {
    const text =
      word.kind === "key" || word.kind === "relation" ? `${word.text}:` : word.text.split(" ")[0] || "";
    if (text.length < 2 || text.length <= (best?.word.text.length ?? 0)) continue;
    const from = line.lastIndexOf(text, at);
    const begins = from === 0 || /[\s{,[(|"'?=]/.test(line[from - 1] ?? " ");
    if (from >= 0 && begins && at <= from + text.length) best = { word, from };
  }
  return best;
}
