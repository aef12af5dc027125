import { type Account, api, type Shapes } from "../../../api";
import { ago, exactly, listed } from "../../../base/format";
import { useAsk } from "../../../parts/Confirm";
import type { MenuItem } from "../../../parts/menu/items";
import { Menu } from "../../../parts/menu/Menu";

interface Props {
  of: Account;
  /** Carries it out and shows what stands then. */
  act: (call: () => Promise<unknown>) => Promise<string | undefined>;
  showLink: (link: Shapes["NewLink"]) => void;
}

/** One who comes in here, as a sentence, and what an administrator can do. */
export function AccountLine({ of, act, showLink }: Props) {
  const ask = useAsk();
  const end = async () => {
    const sure = await ask({
      title: `Let ${of.name} in no more?`,
      text: "Their sessions end at once, and their keys open nothing. What they did stays, and they can be let in again.",
      yes: "Let them in no more",
      no: "Leave it",
    });
    if (sure) await act(() => api.changeAccount(of.id, { ended: true }));
  };
  const acts: { [key: string]: () => unknown } = {
    administrator: () => act(() => api.changeAccount(of.id, { administrator: !of.administrator })),
    password: () => act(() => api.passwordLink(of.id).then(showLink)),
    sessions: () => act(() => api.endSessionsOf(of.id)),
    second: () => act(() => api.dropSecondFactorOf(of.id)),
    end,
    back: () => act(() => api.changeAccount(of.id, { ended: false })),
  };
  return (
    <li className={of.ended ? "over" : undefined}>
      <span className="person-mark" aria-hidden="true">
        {of.initials}
      </span>{" "}
      <strong>{of.name}</strong>
      {of.you && <span className="muted"> (you)</span>} {told(of)}{" "}
      <span className="muted" title={exactly(of.seenAt)}>
        {of.seenAt ? `seen ${ago(of.seenAt)}` : "not signed in"}
      </span>{" "}
      <Menu
        items={itemsOf(of)}
        pick={(key) => void acts[key]?.()}
        className="plain-button small"
        aria-label={`What can be done with ${of.name}`}
      >
        …
      </Menu>
    </li>
  );
}

function told({ signIn, ended, administrator, parts, secondFactor }: Account): string {
  if (ended) return "comes in no more.";
  const words = [
    signIn ? `signs in as ${signIn}${secondFactor ? " with a code" : ""}` : "has no name to sign in by",
  ];
  if (administrator) words.push("administers this installation");
  for (const role of new Set(parts.map((part) => part.role))) {
    const where = parts.filter((part) => part.role === role).map(({ name }) => name);
    words.push(`is ${role} of ${listed(where)}`);
  }
  if (!parts.length && !administrator) words.push("has no part in a project");
  return `${listed(words)}.`;
}

function itemsOf({ ended, administrator, signIn, sessions, secondFactor }: Account): MenuItem[] {
  if (ended) return [{ key: "back", label: "Let them in again" }];
  return [
    {
      key: "administrator",
      label: administrator ? "No administrator any more" : "Make them an administrator",
    },
    ...(signIn ? [{ key: "password", label: "A link for a new password" }] : []),
    ...(sessions ? [{ key: "sessions", label: "End all their sessions" }] : []),
    ...(secondFactor ? [{ key: "second", label: "Ask for no code: the phone is lost" }] : []),
    { key: "end", label: "Let them in no more…" },
  ];
}
