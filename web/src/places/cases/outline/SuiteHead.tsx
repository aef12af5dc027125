import { Link } from "react-router";
import { api, type Suite } from "../../../api";
import { InPlace } from "../../../parts/typing/InPlace";
import type { Outline } from "./useOutline";
import type { Ticked } from "./useTicked";

interface Props {
  suite: Suite;
  outline: Outline;
  /** Only some cases are shown. */
  filtered: boolean;
  up: (() => void) | undefined;
  down: (() => void) | undefined;
  run: () => void;
  ticked: Ticked;
  /** Whether it is shown how a pipeline runs it. */
  pipeline: boolean;
  showPipeline: (shown: boolean) => void;
}

/** What a suite is called and about, and what can be done with it. */
export function SuiteHead(props: Props) {
  const { suite, outline, filtered, up, down, run, ticked, pipeline, showPipeline } = props;
  return (
    <div className="suite-head">
      {suite.cases.length > 0 && (
        <input
          type="checkbox"
          className="tick"
          aria-label={`Tick all of ${suite.name}`}
          checked={suite.cases.every(({ id }) => ticked.has(id))}
          onChange={() => ticked.turnAll(suite.cases.map(({ id }) => id))}
        />
      )}
      <h2 id={suite.id}>
        <InPlace
          text={suite.name}
          label={`The name of the suite ${suite.name}`}
          save={(name) => outline.act(() => api.changeSuite(suite.id, { name: name.trim() }))}
        >
          {suite.name}
        </InPlace>
      </h2>
      <span className="muted">
        <InPlace
          text={suite.about}
          label={`What the suite ${suite.name} is about`}
          save={(about) => outline.act(() => api.changeSuite(suite.id, { about: about.trim() }))}
        >
          {suite.about || <span className="add small">+ about</span>}
        </InPlace>
      </span>
      <button
        type="button"
        className="in-place muted"
        title="Whether its cases need each other; a click changes it"
        onClick={() => void outline.act(() => api.changeSuite(suite.id, { inOrder: !suite.inOrder }))}
      >
        {suite.inOrder ? "one after the other" : <span className="add small">+ in order</span>}
      </button>
      <span className="row-tools">
        {up && !filtered && (
          <button type="button" aria-label={`Move ${suite.name} up`} onClick={up}>
            ↑
          </button>
        )}
        {down && !filtered && (
          <button type="button" aria-label={`Move ${suite.name} down`} onClick={down}>
            ↓
          </button>
        )}
        {suite.cases.length === 0 && (
          <button type="button" onClick={() => void outline.act(() => api.removeSuite(suite.id))}>
            delete
          </button>
        )}
      </span>
      {!filtered && (
        <Link className="plain-link" to={`/cases/suite/${suite.id}`} aria-label={`${suite.name} as a sheet`}>
          as a sheet
        </Link>
      )}
      {suite.cases.length > 0 && !filtered && (
        <button
          type="button"
          className="plain-link"
          aria-expanded={pipeline}
          aria-label={`Run ${suite.name} from a pipeline…`}
          onClick={() => showPipeline(!pipeline)}
        >
          from a pipeline…
        </button>
      )}
      {suite.cases.length > 0 && !filtered && (
        <button
          type="button"
          className="plain-link"
          onClick={run}
          aria-label={`Run these ${suite.cases.length} of ${suite.name}`}
        >
          Run these {suite.cases.length}
        </button>
      )}
    </div>
  );
}
