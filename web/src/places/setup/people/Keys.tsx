import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Shapes } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { ToldOnce } from "../../../parts/ToldOnce";
import { useTold } from "../../../state/acts";
import { useProjects } from "../../../state/project";
import { KeyLine } from "./KeyLine";

const DAYS = [7, 30, 90, 365];
const SCOPES: [string, Shapes["NewKey"]["scopes"]][] = [
  ["run and look", ["run"]],
  ["look", ["read"]],
  ["change and look", ["write"]],
  ["change, run and look", ["run", "write"]],
];

/** Your keys, and a new one as a sentence. */
export function Keys() {
  const tell = useStale();
  const keys = useQuery(queries.keys());
  const { project, all } = useProjects();
  const [name, setName] = useState("");
  const [scope, setScope] = useState(0);
  const [where, setWhere] = useState(project?.id ?? "");
  const [days, setDays] = useState(90);
  const [made, setMade] = useState<Shapes["NewKeyText"]>();
  const [problem, told] = useTold();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const scopes = SCOPES[scope]?.[1] ?? ["read"];
    const key = { name: name.trim(), scopes, days, ...(where && { project: where }) };
    void told(
      api.addKey(key).then(async (text) => {
        setMade(text);
        setName("");
        await tell("keys");
      }),
    );
  };
  return (
    <section aria-label="Your keys">
      <h2>Your keys</h2>
      <p className="muted">
        A key lets a pipeline or a script in, as <span className="mono">saltpath run --key</span> or as{" "}
        <span className="mono">Authorization: Bearer</span>. It acts for you, with less.
      </p>
      <ul className="people">
        {keys.data?.items.map((one) => (
          <KeyLine
            key={one.id}
            of={one}
            end={() => void told(api.endKey(one.id).finally(() => tell("keys")))}
          />
        ))}
      </ul>
      <form className="sentence-form" onSubmit={submit}>
        A key called{" "}
        <input
          aria-label="What the key is called"
          placeholder="such as Nightly pipeline"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />{" "}
        that may{" "}
        <select
          className="which-part"
          aria-label="What it may"
          value={scope}
          onChange={(event) => setScope(Number(event.target.value))}
        >
          {SCOPES.map(([label], at) => (
            <option key={label} value={at}>
              {label}
            </option>
          ))}
        </select>{" "}
        in{" "}
        <select
          className="which-part"
          aria-label="Where"
          value={where}
          onChange={(event) => setWhere(event.target.value)}
        >
          {all.map((item) => (
            <option key={item.id} value={item.id}>
              {item.name}
            </option>
          ))}
          <option value="">each project of mine</option>
        </select>{" "}
        for{" "}
        <select
          className="which-part"
          aria-label="How long"
          value={days}
          onChange={(event) => setDays(Number(event.target.value))}
        >
          {DAYS.map((number) => (
            <option key={number} value={number}>
              {number} days
            </option>
          ))}
        </select>{" "}
        <button type="submit" className="plain-button" disabled={!name.trim()}>
          Make it
        </button>
      </form>
      {made && (
        <ToldOnce about={`This is the key ${made.name}.`} text={made.text} close={() => setMade(undefined)} />
      )}
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
    </section>
  );
}
