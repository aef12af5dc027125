import type { KeyboardEvent } from "react";
import { Link } from "react-router";
import { api, type CaseLine, type Suite } from "../../../api";
import { useMay } from "../../../api/may";
import { Menu } from "../../../parts/menu/Menu";
import { pathOf } from "../../../parts/suites";
import { InPlace } from "../../../parts/typing/InPlace";
import { SUITE } from "./dragging";
import type { Outline } from "./useOutline";
import type { SuiteMoves } from "./useSuiteMoves";
import type { Ticked } from "./useTicked";

interface Props {
  suite: Suite;
  suites: Suite[];
  /** Its cases, and those of the suites in it. */
  cases: CaseLine[];
  /** It stands in another. */
  inner: boolean;
  /** Suites stand in it. */
  isFolder: boolean;
  outline: Outline;
  /** Only some cases are shown. */
  filtered: boolean;
  moves: SuiteMoves;
  run: () => void;
  ticked: Ticked;
  /** Whether it is shown how a pipeline runs it. */
  pipeline: boolean;
  showPipeline: (shown: boolean) => void;
}

/** What a suite is called and about, and what can be done with it. Alt and the arrows move it: among others, into the one above, out of its folder. */
export function SuiteHead(props: Props) {
  const { suite, cases, inner, isFolder, outline, filtered, moves, run, ticked, pipeline, showPipeline } =
    props;
  const may = useMay("edit");
  const Heading = inner ? "h3" : "h2";
  const keys = (event: KeyboardEvent) => {
    const { up, down, inward, outward } = moves;
    const ways = { ArrowUp: up, ArrowDown: down, ArrowRight: inward, ArrowLeft: outward };
    const way = ways[event.key as keyof typeof ways];
    const typing = (event.target as HTMLElement).closest(".typing");
    if (!event.altKey || !may || filtered || typing || !(event.key in ways)) return;
    event.preventDefault();
    way?.();
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the keys are those of what stands in it
    <div
      className="suite-head"
      draggable={!filtered && may}
      onDragStart={(event) => event.dataTransfer.setData(SUITE, suite.id)}
      onKeyDown={keys}
    >
      {cases.length > 0 && (
        <input
          type="checkbox"
          className="tick"
          aria-label={`Tick all of ${suite.name}`}
          checked={cases.every(({ id }) => ticked.has(id))}
          onChange={() => ticked.turnAll(cases.map(({ id }) => id))}
        />
      )}
      <Heading id={suite.id} className="suite-name">
        <InPlace
          text={suite.name}
          label={`The name of the suite ${suite.name}`}
          save={(name) => outline.act(() => api.changeSuite(suite.id, { name: name.trim() }))}
        >
          {suite.name}
        </InPlace>
      </Heading>
      <About suite={suite} outline={outline} />
      <span className="row-tools" data-needs="edit">
        {!filtered && <Moves {...props} />}
        {suite.cases.length === 0 && !isFolder && (
          <button
            data-needs="edit"
            type="button"
            onClick={() => void outline.act(() => api.removeSuite(suite.id))}
          >
            delete
          </button>
        )}
      </span>
      {!filtered && (suite.cases.length > 0 || !isFolder) && (
        <Link className="plain-link" to={`/cases/suite/${suite.id}`} aria-label={`${suite.name} as a sheet`}>
          as a sheet
        </Link>
      )}
      {cases.length > 0 && !filtered && (
        <Link
          className="plain-link"
          data-needs="edit"
          to={`/watches/new?suite=${suite.id}`}
          aria-label={`${suite.name}: watch this`}
        >
          watch this
        </Link>
      )}
      {cases.length > 0 && !filtered && (
        <button
          data-needs="run"
          type="button"
          className="plain-link"
          aria-expanded={pipeline}
          aria-label={`Run ${suite.name} from a pipeline…`}
          onClick={() => showPipeline(!pipeline)}
        >
          from a pipeline…
        </button>
      )}
      {cases.length > 0 && !filtered && (
        <button
          data-needs="run"
          type="button"
          className="plain-link"
          onClick={run}
          aria-label={`Run these ${cases.length} of ${suite.name}`}
        >
          Run these {cases.length}
        </button>
      )}
    </div>
  );
}

/** What it is about, how it is found, and whether its cases wait for each other. */
function About({ suite, outline }: Pick<Props, "suite" | "outline">) {
  const save = (change: Parameters<typeof api.changeSuite>[1]) =>
    outline.act(() => api.changeSuite(suite.id, change));
  return (
    <>
      <span className="muted suite-about">
        <InPlace
          text={suite.about}
          label={`What the suite ${suite.name} is about`}
          save={(about) => save({ about: about.trim() })}
        >
          {suite.about || <span className="add small">+ about</span>}
        </InPlace>
      </span>
      <span className="muted">
        <InPlace
          text={suite.tags.join(", ")}
          label={`The tags of the suite ${suite.name}`}
          hint="Words that all its cases, and those of suites in it, are found and run by, with commas between."
          save={(text) => save({ tags: text.split(",") })}
        >
          {suite.tags.join(", ") || <span className="add small">+ tags</span>}
        </InPlace>
      </span>
      <button
        data-needs="edit"
        type="button"
        className="in-place muted"
        title="Whether its cases need each other; a click changes it"
        onClick={() => void save({ inOrder: !suite.inOrder })}
      >
        {suite.inOrder ? "one after the other" : <span className="add muted small">+ in order</span>}
      </button>
    </>
  );
}

/** Its places among the others. */
function Moves({ suite, suites, moves }: Props) {
  const { up, down, folders, into } = moves;
  const items = [
    ...(suite.within ? [{ key: "none", label: "no folder" }] : []),
    ...folders.map((folder) => ({ key: folder.id, label: `into ${pathOf(folder, suites)}` })),
  ];
  return (
    <>
      {up && (
        <button data-needs="edit" type="button" aria-label={`Move ${suite.name} up`} onClick={up}>
          ↑
        </button>
      )}
      {down && (
        <button data-needs="edit" type="button" aria-label={`Move ${suite.name} down`} onClick={down}>
          ↓
        </button>
      )}
      {items.length > 0 && (
        <Menu
          items={items}
          pick={(key) => into(folders.find(({ id }) => id === key) ?? null)}
          aria-label={`move to… ${suite.name}`}
        >
          move to…
        </Menu>
      )}
    </>
  );
}
