import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { ApiProblem, api, type Shapes } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { exactly } from "../../../base/format";
import { Notice } from "../../../parts/Notice";
import { ToldOnce } from "../../../parts/ToldOnce";
import { useTold } from "../../../state/acts";
import { useTab } from "../../../state/tab";
import { AccountLine } from "./AccountLine";
import { Alone } from "./Alone";
import { DoneList } from "./DoneList";
import { Invite } from "./Invite";
import { RoomForWatches } from "./RoomForWatches";
import { SecondForAdministrators } from "./SecondForAdministrators";
import { SetupPlaces } from "./SetupPlaces";
import { WhereRequestsGo } from "./WhereRequestsGo";
import { WhoVouches } from "./WhoVouches";

const needsSecond = (error: Error | null) =>
  error instanceof ApiProblem && error.code === "second-factor-needed";

const KINDS: [string, string][] = [
  ["administrator", "another administrator"],
  ["person", "somebody without a project yet"],
];

/** Everybody who comes in here, for administrators. */
export function EverybodyPage() {
  const tell = useStale();
  const accounts = useQuery(queries.accounts());
  const invited = useQuery(queries.accountInvitations());
  const [link, setLink] = useState<{ about: string; address: string }>();
  const [problem, told] = useTold();
  useTab("This installation");
  const act = (call: () => Promise<unknown>) => told(call().finally(() => tell("accounts")));
  const invite = async (name: string, kind: string) => {
    const made: Shapes["NewLink"] = await api.inviteAccount(name, kind === "administrator");
    const about = `Send this link to ${made.name}. It lets one person in, within a week.`;
    setLink({ about, address: made.address });
    await tell("accounts");
  };
  return (
    <div className="page setup">
      <div className="page-head">
        <div>
          <p className="crumb">Setup</p>
          <h1>This installation</h1>
          <p className="muted">Everybody who comes in here, whatever they work on.</p>
        </div>
      </div>
      <SetupPlaces />
      {needsSecond(accounts.error) && (
        <p>
          Administrators need a second factor here. <Link to="/you">Set one in your account</Link>, and come
          back.
        </p>
      )}
      {accounts.error && !needsSecond(accounts.error) && (
        <Notice sentence={accounts.error.message} retry={() => void accounts.refetch()} />
      )}
      <ul className="people">
        {accounts.data?.items.map((one) => (
          <AccountLine
            key={one.id}
            of={one}
            act={act}
            showLink={(made) =>
              setLink({
                about: `Send this link to ${one.name}. It lets them give a new password, within a day.`,
                address: made.address,
              })
            }
          />
        ))}
        {invited.data?.items.map((one) => (
          <li key={one.id}>
            <strong>{one.name}</strong> is invited
            {one.administrator && " as an administrator"} by {one.by},{" "}
            <span className="muted">until {exactly(one.endsAt)}</span>{" "}
            <button
              type="button"
              className="plain-link"
              onClick={() => void act(() => api.endInvitation(one.id))}
            >
              Take it back
            </button>
          </li>
        ))}
      </ul>
      {problem && (
        <p className="trouble" role="alert">
          {problem}
        </p>
      )}
      {link && <ToldOnce about={link.about} text={link.address} close={() => setLink(undefined)} />}
      <Invite ask={invite} choices={KINDS} />
      <SecondForAdministrators />
      <Alone />
      <WhoVouches />
      <WhereRequestsGo />
      <RoomForWatches />
      <h2>Who did what, everywhere</h2>
      <DoneList project="" />
    </div>
  );
}
