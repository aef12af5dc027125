/** People and how they come in; keys, links, and who did what. */
import { ask, posted, q, send } from "./asking";
import type { Page, Shapes } from "./shapes";

const away = { method: "DELETE" } as const;
type Ended = Shapes["Ended"];
type NewLink = Shapes["NewLink"];

/** Which lines of what was done are wanted; what is empty does not matter. */
export interface DoneWanted {
  /** Empty: of the whole installation. */
  project: string;
  person: string;
  text: string;
  /** RFC 3339. */
  since: string;
}

const doneQuery = ({ project, person, text, since }: DoneWanted, before = "") => {
  const given = { project, person, text, since, before };
  const path = project ? "/audit" : "/installation/audit";
  const filled = Object.entries(given).filter(([, value]) => value);
  return { path, query: new URLSearchParams(filled).toString() };
};

export const peopleApi = {
  entry: () => ask<Shapes["Entry"]>("/entry"),
  signIn: (name: string, password: string, code: string) =>
    send<Shapes["Entered"]>("/sign-in", { name, password, code }),
  signOut: () => send<Ended>("/sign-out", {}),
  lookAtLink: (token: string) => send<Shapes["LinkSeen"]>("/links/look", { token }),
  comeIn: (link: Shapes["LinkToUse"]) => send<Shapes["Entered"]>("/links/use", link),
  changeMe: (change: Shapes["AccountChange"]) => ask<Shapes["Person"]>("/me", posted(change, {}, "PATCH")),
  changePassword: (old: string, next: string) =>
    ask<Ended>("/password", posted({ old, new: next }, {}, "PUT")),
  beginSecondFactor: () => send<Shapes["SecondFactorToSet"]>("/second-factor/begin", {}),
  setSecondFactor: (given: Shapes["SecondFactor"]) =>
    ask<Shapes["RecoveryCodes"]>("/second-factor", posted(given, {}, "PUT")),
  dropSecondFactor: (password: string) => send<Ended>("/second-factor/off", { password }),
  confirmMe: (password: string) => send<Ended>("/me/confirm", { password }),
  secondFactorRule: () => ask<Shapes["SecondFactorRule"]>("/installation/second-factor"),
  saySecondFactorRule: (administrators: boolean | null) =>
    ask<Shapes["SecondFactorRule"]>("/installation/second-factor", posted({ administrators }, {}, "PUT")),
  sayHistoryMost: (megabytes: number | null) =>
    ask<unknown>("/installation/history-most", posted({ megabytes }, {}, "PUT")),
  setAlone: (alone: boolean) => ask<Ended>("/alone", posted({ alone }, {}, "PUT")),
  sessions: () => ask<Page<Shapes["Session"]>>("/sessions"),
  endSession: (id: string) => ask<Ended>(`/sessions/${q(id)}`, away),
  endSessions: () => ask<Ended>("/sessions", away),
  members: (project: string) => ask<Page<Shapes["Member"]>>(`/people?project=${q(project)}`),
  setPart: (project: string, person: string, role: string) =>
    ask<Shapes["Member"]>(`/projects/${q(project)}/people/${q(person)}`, posted({ role }, {}, "PUT")),
  removePart: (project: string, person: string) =>
    ask<unknown>(`/projects/${q(project)}/people/${q(person)}`, away),
  invitations: (project: string) => ask<Page<Shapes["Invited"]>>(`/projects/${q(project)}/invitations`),
  invite: (project: string, name: string, role: string) =>
    send<NewLink>(`/projects/${q(project)}/invitations`, { name, role }),
  endInvitation: (id: string) => ask<unknown>(`/invitations/${q(id)}`, away),
  accounts: () => ask<Page<Shapes["Account"]>>("/accounts"),
  changeAccount: (id: string, change: Shapes["PersonChange"]) =>
    ask<Shapes["Account"]>(`/accounts/${q(id)}`, posted(change, {}, "PATCH")),
  passwordLink: (id: string) => send<NewLink>(`/accounts/${q(id)}/password-link`, {}),
  endSessionsOf: (id: string) => send<Ended>(`/accounts/${q(id)}/sessions/end`, {}),
  dropSecondFactorOf: (id: string) => send<Ended>(`/accounts/${q(id)}/second-factor/off`, {}),
  accountInvitations: () => ask<Page<Shapes["Invited"]>>("/account-invitations"),
  inviteAccount: (name: string, administrator: boolean) =>
    send<NewLink>("/account-invitations", { name, administrator }),
  keys: () => ask<Page<Shapes["Key"]>>("/keys"),
  keysInto: (project: string) => ask<Page<Shapes["Key"]>>(`/projects/${q(project)}/keys`),
  addKey: (key: Shapes["NewKey"]) => send<Shapes["NewKeyText"]>("/keys", key),
  endKey: (id: string) => ask<unknown>(`/keys/${q(id)}`, away),
  done: (wanted: DoneWanted, before: string) => {
    const { path, query } = doneQuery(wanted, before);
    return ask<Page<Shapes["Done"]>>(`${path}?${query}`);
  },
  doneFile: (wanted: DoneWanted) => {
    const { path, query } = doneQuery(wanted);
    return `/api/v1${path}/file?${query}`;
  },
  reach: () => ask<Shapes["Reach"]>("/installation/reach"),
  changeReach: (change: Shapes["ReachChange"]) =>
    ask<Shapes["Reach"]>("/installation/reach", posted(change, {}, "PATCH")),
  provider: () => ask<Shapes["Provider"]>("/installation/provider"),
  changeProvider: (wanted: Shapes["ProviderChange"]) =>
    ask<Shapes["Provider"]>("/installation/provider", posted(wanted, {}, "PATCH")),
  shares: (run: string) => ask<Page<Shapes["Share"]>>(`/runs/${q(run)}/shares`),
  addShare: (run: string, days: number) => send<Shapes["NewShareLink"]>(`/runs/${q(run)}/shares`, { days }),
  endShare: (id: string) => ask<unknown>(`/shares/${q(id)}`, away),
};
