import type { DataSource, LookedAt, SourceDocument } from "../../api";
import { useMay } from "../../api/may";
import { isFields, type Json, readTyped } from "../../base/exact";
import { InPlace } from "../../parts/typing/InPlace";
import { readValues, writeOne, writeValues } from "./source";

interface Props {
  source: DataSource;
  looked: LookedAt;
  change: (document: SourceDocument) => Promise<string | undefined>;
}

/** The columns of rows that no file holds: what each is made of, or which values are combined. */
export function MadeColumns({ source, change }: Props) {
  const { document, kind } = source;
  if (kind === "written") return <p className="muted">These rows are written out in the project’s file.</p>;
  const columns = isFields(document.columns) ? document.columns : {};
  const combines = kind === "combined";
  const put = (entries: [string, Json][]) => change({ ...document, columns: Object.fromEntries(entries) });
  const entries = Object.entries(columns);
  const rename = async (name: string, to: string) => {
    if (!to) return put(entries.filter(([key]) => key !== name));
    if (to !== name && to in columns) return `There is a column ${to} already.`;
    return put(entries.map(([key, value]) => [key === name ? to : key, value]));
  };
  const read = (text: string): Json => (combines ? readValues(text) : readTyped(text));
  const write = async (name: string, text: string) => {
    if (combines && !readValues(text).length) return "Type the values, with commas between them.";
    return put(entries.map(([key, value]) => [key, key === name ? read(text) : value]));
  };
  const add = async (name: string) => {
    if (!name.trim()) return undefined;
    if (name.trim() in columns) return `There is a column ${name.trim()} already.`;
    return put([...entries, [name.trim(), combines ? ["a", "b"] : "[=any word]"]]);
  };
  return (
    <section aria-label="What is made" className="made-columns">
      <p>
        {combines ? (
          <HowCombined document={document} change={change} />
        ) : (
          <HowMany document={document} change={change} />
        )}
      </p>
      <ul>
        {entries.map(([name, value]) => (
          <li key={name}>
            <InPlace
              text={name}
              label={`The name of the column ${name}`}
              hint="Nothing: it is taken away."
              save={(to) => rename(name, to.trim())}
            >
              <span className="reference mono">{name}</span>
            </InPlace>{" "}
            is{" "}
            <InPlace
              text={combines ? writeValues(value) : writeOne(value)}
              label={`What ${name} is`}
              hint={
                combines
                  ? "Values with commas between them."
                  : "A value, or a generator such as [=any integer 1 to 100]; columns before it can be used."
              }
              save={(text) => write(name, text)}
            >
              <span className="mono">{combines ? writeValues(value) : writeOne(value)}</span>
            </InPlace>
          </li>
        ))}
        <li>
          <InPlace text="" label="The name of a new column" save={add}>
            <span className="add">+ a column</span>
          </InPlace>
        </li>
      </ul>
      {!combines && (
        <p className="muted small">
          Shown with the seed 1; a run draws them by its own seed, the case, the row and the column.
        </p>
      )}
    </section>
  );
}

type HowProps = Pick<Props, "change"> & { document: SourceDocument };

function HowMany({ document, change }: HowProps) {
  const save = async (text: string) =>
    /^\d{1,8}$/.test(text.trim()) ? change({ ...document, make: Number(text) }) : "Type how many.";
  return (
    <>
      <InPlace text={String(document.make)} label="How many rows" save={save}>
        {String(document.make)}
      </InPlace>{" "}
      rows are made, in which
    </>
  );
}

function HowCombined({ document, change }: HowProps) {
  const may = useMay("edit");
  const sample = isFields(document.combine) ? String(document.combine.sample) : "";
  const how = sample ? "sample" : String(document.combine);
  const set = (value: string) =>
    void change({ ...document, combine: value === "sample" ? { sample: 50 } : value });
  const save = async (text: string) =>
    /^[1-9]\d{0,6}$/.test(text.trim())
      ? change({ ...document, combine: { sample: Number(text) } })
      : "Type how many.";
  return (
    <>
      The values of the columns are combined:{" "}
      <select
        disabled={!may}
        className="in-sentence"
        aria-label="How values are combined"
        value={how}
        onChange={(event) => set(event.target.value)}
      >
        <option value="all">every combination</option>
        <option value="pairwise">as few rows as hold every pair of values</option>
        <option value="sample">some, drawn</option>
      </select>
      {sample && (
        <>
          , namely{" "}
          <InPlace text={sample} label="How many combinations" save={save}>
            {sample}
          </InPlace>
        </>
      )}
    </>
  );
}
