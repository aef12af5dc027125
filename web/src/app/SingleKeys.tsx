import { useState } from "react";
import { setSingleKeys, singleKeys } from "../base/finding";

/** Whether keys alone do something; kept in this browser. */
export function SingleKeys() {
  const [on, setOn] = useState(singleKeys);
  const turn = () => {
    setSingleKeys(!on);
    setOn(!on);
  };
  return (
    <label className="single-keys">
      <input type="checkbox" checked={on} onChange={turn} /> Keys without Ctrl or Alt do something (E, A, T,
      O, S, B, K, P on a place, and ?)
    </label>
  );
}
