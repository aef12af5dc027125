import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, type Brought } from "../api";
import { useStale } from "../api/stale";
import { useAsk } from "../parts/Confirm";
import { Menu } from "../parts/menu/Menu";
import { Typing } from "../parts/typing/Typing";
import { useMe } from "../state/me";
import { useProjects } from "../state/project";

const MOST_TOLD = 12;

/** The project that is worked in, the others, and a new one. */
export function ProjectMenu() {
  const { project, all, choose } = useProjects();
  const navigate = useNavigate();
  const [naming, setNaming] = useState(false);
  const [said, setSaid] = useState("");
  const archive = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const ask = useAsk();
  const { administrator } = useMe();
  const [undo, setUndo] = useState("");
  const takeBack = async () => {
    try {
      const done = await api.undoBringIn(undo);
      await client.invalidateQueries();
      setSaid(`${done.name} is as it was before.`);
    } catch (problem) {
      setSaid((problem as Error).message);
    }
    setUndo("");
  };
  const bring = async (file: File | undefined) => {
    if (!file) return;
    try {
      const wanted = await api.bringIn(file, true);
      const known = all.some(({ name }) => name === wanted.name);
      if (known && !wanted.changes.length)
        return setSaid(`${wanted.name}: nothing in these files is otherwise.`);
      if (known && !(await ask(question(wanted)))) return;
      const done = await api.bringIn(file);
      setUndo(known ? done.project : "");
      await client.invalidateQueries();
      choose(done.project);
      void navigate("/cases");
      setSaid(`${done.name}: ${done.new} new cases, ${done.changed} changed, ${done.same} as they were.`);
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  if (naming) return <NewProject close={() => setNaming(false)} />;
  if (!project) return null;
  const items = [
    ...all.map((item) => ({ key: item.id, label: item.name })),
    { type: "divider" as const },
    ...(administrator ? [{ key: "new", label: "A new project…" }] : []),
    { key: "save", label: "Save this one as files" },
    { key: "bring", label: "Bring in a project from files…", needs: "edit" as const },
  ];
  const pick = (key: string) => {
    if (key === "new") return setNaming(true);
    if (key === "save") return window.location.assign(api.folderAddress(project.id));
    if (key === "bring") return archive.current?.click();
    choose(key);
    void navigate("/cases");
  };
  return (
    <>
      <input
        ref={archive}
        type="file"
        accept=".zip"
        hidden
        aria-label="A project's folder as a zip archive"
        onChange={(event) => {
          void bring(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      {said && (
        <span className="brought" role="status">
          {said}{" "}
          {undo && (
            <button type="button" className="plain-link" onClick={() => void takeBack()}>
              Undo
            </button>
          )}{" "}
          <button
            type="button"
            className="plain-link"
            onClick={() => {
              setSaid("");
              setUndo("");
            }}
          >
            Well
          </button>
        </span>
      )}
      <Menu
        items={items}
        pick={pick}
        selected={project.id}
        className="project-name"
        aria-label={`Project ${project.name}`}
      >
        {project.name}
      </Menu>
    </>
  );
}

/** What is asked before files are brought onto a project that is there. */
function question({ name, changes, more }: Brought) {
  const told = changes.slice(0, MOST_TOLD).map(({ kind, name, what }) => `${what}: ${kind} ${name}`);
  const others = changes.length + more - told.length;
  return {
    title: `Bring these files onto ${name}?`,
    text: [...told, ...(others ? [`and ${others} more`] : [])].join("\n"),
    yes: "Bring them in",
    no: "Leave it",
  };
}

/** A new project by its name; it is empty, and is worked in from then on. */
export function NewProject({ close, quiet }: { close: () => void; quiet?: boolean }) {
  const { choose } = useProjects();
  const tell = useStale();
  const navigate = useNavigate();
  const save = async (name: string) => {
    if (!name.trim()) return undefined;
    try {
      const made = await api.addProject(name.trim());
      await tell("projects");
      choose(made.id);
      void navigate("/cases");
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    }
  };
  return (
    <Typing
      text=""
      label="The new project’s name"
      placeholder="What the API is called, such as Fernholm Harbour"
      save={save}
      close={close}
      quiet={quiet}
      needs="self"
    />
  );
}
