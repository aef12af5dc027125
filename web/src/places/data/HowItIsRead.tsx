import type { DataSource, LookedAt, SourceDocument } from "../../api";
import { useMay } from "../../api/may";
import { InPlace } from "../../parts/typing/InPlace";
import { FrameFound } from "./FrameFound";
import { saying } from "./source";

type Choice = [value: string, name: string];
const DELIMITERS: Choice[] = [
  [",", "a comma"],
  [";", "a semicolon"],
  ["tab", "a tab"],
  ["|", "a bar"],
];
const QUOTES: Choice[] = [
  ['"', "double quotes"],
  ["'", "apostrophes"],
  ["none", "nothing"],
];
const ENCODINGS: Choice[] = [
  ["utf-8", "UTF-8"],
  ["windows-1252", "Windows-1252"],
  ["latin-1", "Latin-1"],
  ["windows-1250", "Windows-1250 (Central Europe)"],
  ["iso-8859-2", "ISO-8859-2 (Central Europe)"],
  ["windows-1251", "Windows-1251 (Cyrillic)"],
  ["koi8-r", "KOI8-R (Cyrillic)"],
  ["iso-8859-5", "ISO-8859-5 (Cyrillic)"],
  ["windows-1253", "Windows-1253 (Greek)"],
  ["windows-1254", "Windows-1254 (Turkish)"],
  ["utf-16", "UTF-16"],
];
const COMMENTS: Choice[] = [
  ["", "no line is left out"],
  ["#", "lines that begin with # are left out"],
  ["//", "lines that begin with // are left out"],
];
const DECIMALS: Choice[] = [
  [".", "a point"],
  [",", "a comma"],
];

interface Props {
  source: DataSource;
  looked: LookedAt;
  change: (document: SourceDocument) => Promise<string | undefined>;
}

/** How the file is read, as one sentence: what was found, and can be said otherwise. */
export function HowItIsRead({ source, looked, change }: Props) {
  const { document } = source;
  const said = (key: string) => (typeof document[key] === "string" ? (document[key] as string) : "");
  const set = (key: string) => (value: string) => void change(saying(document, key, value));
  return (
    <p className="how-read">
      {looked.kind === "xlsx" && (
        <>
          Its sheet{" "}
          <Chosen
            label="Which sheet"
            then="."
            value={said("sheet") || looked.sheet}
            choices={looked.sheets.map((sheet) => [sheet, sheet])}
            set={set("sheet")}
          />{" "}
        </>
      )}
      {looked.kind === "csv" && (
        <>
          Cells are divided by{" "}
          <Found
            label="What divides cells"
            then=","
            value={said("delimiter")}
            found={looked.delimiter === "\t" ? "tab" : looked.delimiter}
            choices={DELIMITERS}
            set={set("delimiter")}
          />{" "}
          those with a line break or a divider stand in{" "}
          <Found
            label="What stands around cells"
            then=","
            value={said("quote")}
            found={looked.quote || "none"}
            choices={QUOTES}
            set={set("quote")}
          />{" "}
          letters are{" "}
          <Found
            label="The file’s encoding"
            then={looked.encodingSure ? "," : ""}
            value={said("encoding")}
            found={looked.encoding}
            choices={ENCODINGS}
            set={set("encoding")}
          />
          {!looked.encodingSure && (
            <>
              {" "}
              <span className="guess">
                (a guess by few letters: look whether they read right, else choose)
              </span>
              ,
            </>
          )}{" "}
          numbers have{" "}
          <Chosen
            label="What stands before decimals"
            then=";"
            value={said("decimal") || looked.decimal || "."}
            choices={DECIMALS}
            set={(value) => set("decimal")(value === (looked.decimal || ".") ? "" : value)}
          />{" "}
          <Chosen
            label="Which lines are left out"
            then="."
            value={said("comments")}
            choices={COMMENTS}
            set={set("comments")}
          />{" "}
        </>
      )}
      {looked.kind === "json" && (
        <>
          The list stands at{" "}
          <InPlace
            text={said("path")}
            label="Where the list stands"
            hint="A path such as $.items"
            save={(path) => change(saying(document, "path", path.trim()))}
          >
            <span className="mono">{said("path") || looked.lists[0] || "$"}</span>
          </InPlace>
          {looked.lists.length > 1 && (
            <span className="muted"> (lists stand at {looked.lists.join(", ")})</span>
          )}
          .{" "}
        </>
      )}
      {looked.kind === "lines" && "Each line is a JSON document. "}
      {looked.frame && <FrameFound document={document} frame={looked.frame} change={change} />}
    </p>
  );
}

interface ChosenProps {
  label: string;
  /** What of the sentence follows, and does not begin a line. */
  then?: string;
  value: string;
  choices: Choice[];
  set: (value: string) => void;
}

/** A word of a sentence that is one of several. */
function Chosen({ label, then, value, choices, set }: ChosenProps) {
  const may = useMay("edit");
  const known = choices.some(([choice]) => choice === value);
  return (
    <span className="unbroken">
      <select
        disabled={!may}
        className="in-sentence"
        aria-label={label}
        value={value}
        onChange={(event) => set(event.target.value)}
      >
        {!known && <option value={value}>{value}</option>}
        {choices.map(([choice, name]) => (
          <option key={choice} value={choice}>
            {name}
          </option>
        ))}
      </select>
      {then}
    </span>
  );
}

/** The same, which is found unless it is said. */
function Found({ found, choices, value, ...props }: ChosenProps & { found: string }) {
  const name = choices.find(([choice]) => choice === found)?.[1] ?? found;
  return <Chosen {...props} value={value} choices={[["", `${name}, as found`], ...choices]} />;
}
