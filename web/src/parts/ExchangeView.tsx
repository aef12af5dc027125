import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { api, type Exchange, type StepEvidence } from "../api";
import { queries } from "../api/queries";
import { duration, exactly, size } from "../base/format";
import { Copies } from "./Copies";
import { Facts } from "./Facts";
import { Notice } from "./Notice";
import { Phases } from "./Phases";
import { dumped, textIn } from "./tree/hex";
import { JsonTree } from "./tree/JsonTree";
import type { Acts } from "./tree/picked";
import { XmlTree } from "./tree/XmlTree";
import { type Namespaces, readXml } from "./tree/xml";
import { type Keeps, watching } from "./watching";

export const VIEWS = ["Tree", "Raw", "Headers", "Sent", "Timing"] as const;
export type View = (typeof VIEWS)[number];

/** Rows that were looked up come as an exchange, too: what was asked of the database, and the rows as JSON. */
export const isLookUp = (exchange: Exchange): boolean => exchange.method === "LOOK UP";

interface Props {
  view: View;
  /** What of the head was clicked, and for the how manieth time. */
  pointed: { subject: string; times: number };
  exchange: Exchange;
  step: StepEvidence;
  keeps: Keeps | undefined;
  acts: Acts | undefined;
  namespaces: Namespaces;
  /** What is said of a place that nothing watches: that it varies. */
  loose: ((path: string) => string | undefined) | undefined;
}

/** An exchange in one of its views: the answer as a tree or raw, its head, what was sent, how long it took. */
export function ExchangeView({ view, pointed, exchange, step, keeps, acts, loose, namespaces }: Props) {
  const watch = useCallback(
    (path: string) => {
      const varies = loose?.(path);
      return watching(step, path, keeps) ?? (varies ? { text: varies, tone: "open" as const } : undefined);
    },
    [step, keeps, loose],
  );
  if (view === "Tree" && exchange.size === 0 && exchange.status > 0)
    return <p className="muted pad">The answer has no body.</p>;
  if (view === "Tree" && /xml/i.test(exchange.mediaType) && exchange.size <= RAW_MOST)
    return <Xml exchange={exchange} step={step} keeps={keeps} acts={acts} namespaces={namespaces} />;
  if (view === "Tree" && /^image\//i.test(exchange.mediaType))
    return <img className="answer-image" src={api.bodyAddress(exchange.id)} alt="What the answer holds" />;
  if (view === "Tree" && /html/i.test(exchange.mediaType) && exchange.size <= RAW_MOST)
    return <Html exchange={exchange} />;
  if (view === "Tree")
    return (
      <JsonTree
        address={api.bodyAddress(exchange.id)}
        lines={JSON_LINES.test(exchange.mediaType)}
        watch={watch}
        acts={acts}
      />
    );
  if (view === "Raw") return <Raw exchange={exchange} />;
  if (view === "Headers")
    return (
      <>
        {exchange.passedOver.map((sentence) => (
          <p key={sentence} className="blocked-note" role="note">
            {sentence}
          </p>
        ))}
        {acts && exchange.status > 0 && (
          <Facts
            key={`${exchange.id} ${pointed.times}`}
            exchange={exchange}
            watch={watch}
            acts={acts}
            begin={pointed.subject}
          />
        )}
        <details className="pad" open={!acts || !exchange.status}>
          <summary>As it came</summary>
          <pre className="code">{exchange.receivedHead.trimEnd() || "No answer came."}</pre>
        </details>
      </>
    );
  if (view === "Sent") {
    return (
      <>
        {exchange.sentHead && <Copies request={exchange} />}
        <pre className="code pad">
          {exchange.sentHead.trimEnd() ||
            (isLookUp(exchange)
              ? `In ${exchange.address}:`
              : `${exchange.method} ${exchange.address}\n(nothing was sent)`)}
          {exchange.sentBody && `\n\n${exchange.sentBody}`}
        </pre>
      </>
    );
  }
  return (
    <div className="pad">
      <Phases times={exchange.times} />
      <p className="muted">
        {duration(exchange.times.total)} in all, begun {exactly(exchange.begunAt)}
        {exchange.reused ? ", on a connection that stood already" : ""}.
      </p>
    </div>
  );
}

const RAW_MOST = 200_000;
/** As the server reads them: one JSON text a line. */
const JSON_LINES = /^application\/(?:x-)?(?:ndjson|jsonl|jsonlines|json-lines)\s*(?:;|$)/i;

const bodyOf = async (exchange: Exchange): Promise<ArrayBuffer> =>
  (await api.body(exchange.id)).arrayBuffer();

const textOf = async (exchange: Exchange): Promise<string> =>
  decoded(await bodyOf(exchange), exchange.mediaType);

/** The body in the charset that its type declares; what is no text as bytes. */
function decoded(body: ArrayBuffer, mediaType: string): string {
  const charset = /charset="?([\w-]+)/i.exec(mediaType)?.[1] ?? "utf-8";
  return textIn(new Uint8Array(body), charset) ?? dumped(new Uint8Array(body));
}

/** A page as it looks, without its scripts, and without reaching out: it stands in a frame that may do nothing. */
function Html({ exchange }: { exchange: Exchange }) {
  const body = useQuery(queries.answerAs(exchange.id, "page", () => textOf(exchange)));
  return (
    <>
      <p className="muted pad">
        This answer is a page. It is shown without its scripts; Raw shows what came.
      </p>
      {body.error && <Notice sentence={body.error.message} retry={() => void body.refetch()} />}
      <iframe className="answer-page" title="The answer as a page" sandbox="" srcDoc={body.data ?? ""} />
    </>
  );
}

/** An XML answer as a tree; what is none is shown as it came. */
function Xml({
  exchange,
  step,
  keeps,
  acts,
  namespaces,
}: Pick<Props, "exchange" | "step" | "keeps" | "acts" | "namespaces">) {
  const body = useQuery(
    queries.answerAs(
      exchange.id,
      `XML ${JSON.stringify(namespaces)}`,
      async () => readXml(await textOf(exchange), namespaces) ?? null,
    ),
  );
  if (body.error) return <Notice sentence={body.error.message} retry={() => void body.refetch()} />;
  if (body.data === undefined) return <p className="muted pad">Reading the answer…</p>;
  if (body.data) return <XmlTree answer={body.data} checks={step.checks} keeps={keeps ?? []} acts={acts} />;
  return (
    <>
      <p className="muted pad">This body says that it is XML, and is not. It is shown as it came.</p>
      <Raw exchange={exchange} />
    </>
  );
}

function Raw({ exchange }: { exchange: Exchange }) {
  const body = useQuery(
    queries.answerAs(exchange.id, "raw", async () => {
      const octets = await bodyOf(exchange);
      const cut = octets.byteLength > RAW_MOST ? `\n… ${size(octets.byteLength - RAW_MOST)} more` : "";
      return decoded(octets.slice(0, RAW_MOST), exchange.mediaType) + cut;
    }),
  );
  if (body.error) return <Notice sentence={body.error.message} retry={() => void body.refetch()} />;
  const text = body.data;
  return <pre className="code pad">{text === "" ? "The answer has no body." : (text ?? "Reading…")}</pre>;
}
