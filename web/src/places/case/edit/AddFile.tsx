import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type Step } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { size } from "../../../base/format";
import { withFile } from "../../../case/files";
import { Menu } from "../../../parts/menu/Menu";
import { freePath, mediaTypeOf } from "../../../state/files";
import { useProject } from "../../../state/project";
import { useEdited } from "../state/context";

const BRING = "bring one in";

/** Sends a file with a step: one that the project has, or one that is brought into it now. */
export function AddFile({ step }: { step: Step }) {
  const { editing } = useEdited();
  const project = useProject()?.id ?? "";
  const tell = useStale();
  const [wanted, setWanted] = useState(false);
  const [problem, setProblem] = useState("");
  const chooser = useRef<HTMLInputElement>(null);
  const files = useQuery({ ...queries.files(project), enabled: wanted && Boolean(project) });
  const known = files.data?.items ?? [];
  const send = async (path: string, type: string) =>
    setProblem((await editing.apply(withFile(step.key, path, type))) ?? "");
  const bring = async (file: File | undefined) => {
    if (!file) return;
    try {
      const kept = await api.putFile(project, freePath(file.name, known), file);
      void tell("files");
      await send(kept.path, file.type || mediaTypeOf(kept.path));
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
  };
  const items = [
    ...known.map((file) => ({ key: file.path, label: `${file.path}, ${size(file.size)}` })),
    ...(known.length ? [{ type: "divider" as const }] : []),
    { key: BRING, label: "A file of yours…" },
  ];
  return (
    <>
      <input
        ref={chooser}
        type="file"
        hidden
        aria-label="A file to send"
        onChange={(event) => {
          void bring(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      <Menu
        needs="edit"
        items={items}
        pick={(key) => (key === BRING ? chooser.current?.click() : void send(key, mediaTypeOf(key)))}
        opens={() => setWanted(true)}
        className="in-place"
        title="Send a file with it"
      >
        <span className="muted add">+ file</span>
      </Menu>
      {problem && (
        <span className="problem" role="alert">
          {problem}
        </span>
      )}
    </>
  );
}
