import { useQueryClient } from "@tanstack/react-query";
import { Dropdown } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router";
import { Typing } from "../parts/typing/Typing";
import { api } from "./api";
import { useProjects } from "./project";

/** The project that is worked in, the others, and a new one. */
export function ProjectMenu() {
  const { project, all, choose } = useProjects();
  const navigate = useNavigate();
  const [naming, setNaming] = useState(false);
  if (naming) return <NewProject close={() => setNaming(false)} />;
  if (!project) return null;
  const items = [
    ...all.map((item) => ({ key: item.id, label: item.name })),
    { type: "divider" as const },
    { key: "new", label: "A new project…" },
  ];
  const pick = ({ key }: { key: string }) => {
    if (key === "new") return setNaming(true);
    choose(key);
    void navigate("/cases");
  };
  return (
    <Dropdown menu={{ items, onClick: pick, selectedKeys: [project.id] }} trigger={["click"]} autoFocus>
      <button
        type="button"
        className="project-name"
        aria-haspopup="menu"
        aria-label={`Project ${project.name}`}
      >
        {project.name}
      </button>
    </Dropdown>
  );
}

/** A new project by its name; it is empty, and is worked in from then on. */
export function NewProject({ close, quiet }: { close: () => void; quiet?: boolean }) {
  const { choose } = useProjects();
  const client = useQueryClient();
  const navigate = useNavigate();
  const save = async (name: string) => {
    if (!name.trim()) return undefined;
    try {
      const made = await api.addProject(name.trim());
      await client.invalidateQueries({ queryKey: ["projects"] });
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
    />
  );
}
