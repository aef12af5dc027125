import { useState } from "react";
import { copied, NOT_COPIED } from "./clipboard";
import { asCurl, asHttp, type Sent } from "./copied";

/** A request for elsewhere, and for a step of another case. */
export function Copies({ request }: { request: Sent }) {
  const [said, setSaid] = useState("");
  const copy = async (text: string, what: string) => {
    const masked = text.includes("●●●") ? "; its secrets stay masked" : "";
    const open = text.includes("[=") ? "; what it inserts is to be filled in" : "";
    const done = `Copied as ${what}${masked}${open}. It can be pasted where a step is added, too.`;
    setSaid((await copied(text)) ? done : NOT_COPIED);
  };
  return (
    <p className="copies pad">
      <button type="button" className="plain-link" onClick={() => void copy(asCurl(request), "a curl line")}>
        Copy as curl
      </button>{" "}
      <button type="button" className="plain-link" onClick={() => void copy(asHttp(request), "HTTP")}>
        Copy as HTTP
      </button>{" "}
      <span className="muted" role="status">
        {said}
      </span>
    </p>
  );
}
