import { useNavigate } from "react-router";
import { api } from "../api";
import { Menu } from "../parts/menu/Menu";
import { useMe } from "../state/me";

/** Who is signed in, their account, and the way out. */
export function PersonMenu() {
  const me = useMe();
  const navigate = useNavigate();
  const pick = (key: string) => {
    if (key === "you") return void navigate("/you");
    // whatever this browser holds of pages goes, too: the server says so
    void api.signOut().then(
      () => window.location.replace("/"),
      () => window.location.replace("/"),
    );
  };
  const items = [{ key: "you", label: "Your account and keys" }];
  if (me.way === "session") items.push({ key: "out", label: `Sign ${me.name} out` });
  return (
    <Menu
      items={items}
      pick={pick}
      className="person"
      title={me.name}
      aria-label={`${me.initials}, ${me.name}`}
    >
      {me.initials}
    </Menu>
  );
}
