import { useMemo, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, type Recording } from "../../../api";
import { useStale } from "../../../api/stale";
import { count } from "../../../base/format";
import { caseOf, type Offer, offerId, offersAmong, proposed } from "../../../case/recording";
import { DropFile } from "../../../parts/DropFile";
import { useProject } from "../../../state/project";
import { EntryRow } from "./EntryRow";
import { HandedOver } from "./HandedOver";

/** A browser's recording becomes a case: choose what it is about, and which values are handed over. */
export function RecordingPage() {
  const project = useProject();
  const [search] = useSearchParams();
  const [read, setRead] = useState<{ recording: Recording; file: File }>();
  const [said, setSaid] = useState("");
  const take = async (file: File | undefined, site = "") => {
    if (!file || !project) return;
    setSaid(`Reading ${file.name}…`);
    try {
      const recording = await api.readRecording(project.id, file, site);
      setRead({ recording, file });
      setSaid("");
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  const suite = search.get("suite") ?? "";
  return (
    <div className="page recording">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/cases">Cases</Link> ▸ from a recording
          </p>
          <h1>{read ? "What is the case about?" : "A case from a browser’s recording"}</h1>
        </div>
      </div>
      {read ? (
        <Choosing
          key={`${read.file.name} ${read.recording.site}`}
          recording={read.recording}
          name={read.file.name.replace(/\.(har|json)$/i, "")}
          suite={suite}
          choose={(site) => void take(read.file, site)}
        />
      ) : project ? (
        <DropFile
          label="A browser's recording, as a HAR file"
          accept=".har,.json,application/json"
          take={(file) => void take(file)}
        >
          <p>
            Do in your browser once what the case is to do, with its developer tools open at the network. Save
            what they recorded as a HAR file, with its contents, and drop it here.
          </p>
          <p className="muted">
            A recording holds passwords and tokens as they were sent. Nothing of it is kept but the steps that
            you choose.
          </p>
        </DropFile>
      ) : null}
      <p role="status" className={said.startsWith("Reading") ? "muted" : "problem"}>
        {said}
      </p>
    </div>
  );
}

/** The entries, those that a case is proposed of at first, and the values that go from one to another. */
function Choosing({
  recording,
  name: fileName,
  suite,
  choose,
}: {
  recording: Recording;
  name: string;
  suite: string;
  choose: (site: string) => void;
}) {
  const project = useProject();
  const navigate = useNavigate();
  const tell = useStale();
  const [name, setName] = useState(fileName);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(() => proposed(recording));
  const [refused, setRefused] = useState<ReadonlySet<string>>(new Set());
  const [problem, setProblem] = useState("");
  const offers = useMemo(() => offersAmong(recording, chosen), [recording, chosen]);
  const { entries } = recording;
  const first = useMemo(() => proposed(recording), [recording]);
  const others = entries.filter((entry) => !first.has(entry.number));
  const make = async () => {
    if (!project) return;
    const accepted = offers.filter((offer) => !refused.has(offerId(offer)));
    const document = caseOf(name.trim() || "A recorded session", entries, chosen, accepted);
    try {
      const made = await api.addCase(project.id, suite, document);
      void tell("outline");
      void navigate(`/cases/${made.id}`);
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
  };
  const keepSingle = async () => {
    if (!project) return;
    try {
      for (const { number, step } of entries)
        if (step && chosen.has(number)) await api.addSingleRequest(project.id, step);
      void tell("single requests");
      void navigate("/cases/single");
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
  };
  const turn = (number: number) => setChosen(toggled(chosen, number));
  const handedOver = (offer: Offer) => setRefused(toggled(refused, offerId(offer)));
  return (
    <>
      <p>
        {count(entries.length, "entry", "entries")} were recorded; {first.size} look like what a case is
        about. {others.length > 0 && `The other ${others.length} say why they do not.`}{" "}
        {recording.sites.length > 1 && (
          <>
            Taken for the API’s:{" "}
            <select
              className="in-sentence"
              aria-label="The API's site"
              value={recording.site}
              onChange={(event) => choose(event.target.value)}
            >
              {recording.sites.map(({ site, entries: asked }) => (
                <option key={site} value={site}>
                  {site} ({asked})
                </option>
              ))}
            </select>
          </>
        )}
      </p>
      <ul className="lines">
        {entries
          .filter((entry) => first.has(entry.number))
          .map((entry) => (
            <EntryRow key={entry.number} entry={entry} chosen={chosen.has(entry.number)} turn={turn} />
          ))}
      </ul>
      {others.length > 0 && (
        <details>
          <summary>{count(others.length, "entry is", "entries are")} left out</summary>
          <ul className="lines">
            {others.map((entry) => (
              <EntryRow key={entry.number} entry={entry} chosen={chosen.has(entry.number)} turn={turn} />
            ))}
          </ul>
        </details>
      )}
      <HandedOver offers={offers} entries={entries} refused={refused} turn={handedOver} />
      <div className="make-case" data-needs="edit">
        {suite && (
          <>
            <label>
              Call the case{" "}
              <input
                value={name}
                onChange={(event) => setName(event.target.value)}
                aria-label="The case's name"
              />
            </label>
            <button type="button" className="make" disabled={!chosen.size} onClick={() => void make()}>
              Make a case of {count(chosen.size, "step")}
            </button>
          </>
        )}
        <button
          type="button"
          className={suite ? "plain-link" : "make"}
          disabled={!chosen.size}
          onClick={() => void keepSingle()}
        >
          {suite ? "or keep them as single requests" : "Keep these as single requests"}
        </button>
        {problem && (
          <p role="alert" className="problem">
            {problem}
          </p>
        )}
      </div>
    </>
  );
}

function toggled<Item>(before: ReadonlySet<Item>, item: Item): ReadonlySet<Item> {
  const next = new Set(before);
  if (!next.delete(item)) next.add(item);
  return next;
}
