import { useState } from "react";
import { api, type RunReport } from "../../api";
import { reportAddress } from "../../api/runs";
import { copied, NOT_COPIED } from "../../parts/clipboard";
import { Menu } from "../../parts/menu/Menu";

/** The forms of a report, by what they are for. */
const FORMS = [
  ["html", "A page for people, one file"],
  ["xlsx", "A workbook"],
  ["junit", "JUnit XML"],
  ["json", "JSON, with everything that was judged"],
  ["har", "Every exchange, as HAR"],
] as const;

/** Hand a run on: as a file of some form, as text to be pasted, as a link. */
export function HandOn({ run, share }: { run: RunReport; share: () => void }) {
  const [said, setSaid] = useState("");
  const copy = async (what: string, text: string) => {
    setSaid((await copied(text)) ? `${what} is copied.` : NOT_COPIED);
  };
  const pick = (key: string) => {
    if (key === "share") return share();
    if (key === "link") return void copy("The link", window.location.href);
    if (key === "summary")
      return void api.summary(run.id).then(
        (text) => copy("The summary", text),
        (problem: Error) => setSaid(problem.message),
      );
    setSaid("");
    window.location.assign(reportAddress(run.id, key));
  };
  return (
    <span className="hand-on">
      <Menu
        className="plain-button"
        pick={pick}
        items={[
          ...FORMS.map(([key, label]) => ({ key, label })),
          { type: "divider" },
          { key: "summary", label: "Copy a summary, as Markdown" },
          { key: "link", label: "Copy a link to this page" },
          { key: "share", label: "A link for people without an account…", needs: "edit" as const },
        ]}
      >
        Hand on…
      </Menu>
      <span className="muted small" role="status">
        {said}
      </span>
    </span>
  );
}
