import { Dropdown } from "antd";
import type { Environment } from "../app/api";

interface Props {
  /** What pressing it does; it runs something unless said otherwise. */
  verb?: string;
  what: string;
  environment: Environment | undefined;
  environments: Environment[];
  choose: (name: string) => void;
  run: () => void;
  running: boolean;
  stop: () => void;
  shortcut?: boolean;
}

/** "Run this case against Rehearsal": where it goes is part of the sentence, and can be changed there. */
export function RunButton({
  verb = "Run",
  what,
  environment,
  environments,
  choose,
  run,
  running,
  stop,
  shortcut,
}: Props) {
  if (running) {
    return (
      <div className="run-button stopping">
        <button type="button" onClick={stop}>
          Stop this run
        </button>
      </div>
    );
  }
  const items = environments.map((item) => ({
    key: item.name,
    label: item.guarded ? `${item.name}, guarded` : item.name,
  }));
  return (
    <div className="run-button">
      <button type="button" onClick={run} aria-keyshortcuts={shortcut ? "Control+Enter" : undefined}>
        {verb} {what}
      </button>
      {environment && (
        <>
          <span>against</span>
          <Dropdown menu={{ items, onClick: ({ key }) => choose(key) }} trigger={["click"]} autoFocus>
            <button type="button" className="underlined" aria-haspopup="menu">
              {environment.name}
            </button>
          </Dropdown>
        </>
      )}
      {shortcut && <kbd>Ctrl ↵</kbd>}
    </div>
  );
}
