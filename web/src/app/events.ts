import { useEffect } from "react";
import { api, type RunEvent } from "./api";

/**
 * One stream of events per browser, shared by its tabs: the tab that holds the lock listens to the server and hands
 * events on. Where there is no stream to be had, it asks every two seconds.
 */
type Listener = (event: RunEvent) => void;

const listeners = new Set<Listener>();
const ASK_EVERY_MS = 2000;
let begunFor = "";

function tell(event: RunEvent): void {
  for (const listener of listeners) listener(event);
}

function begin(project: string): void {
  if (begunFor === project) return;
  begunFor = project;
  const channel = new BroadcastChannel(`saltpath-${project}`);
  channel.onmessage = (message: MessageEvent<RunEvent>) => tell(message.data);
  const pass = (event: RunEvent) => {
    tell(event);
    channel.postMessage(event);
  };
  const lead = () => new Promise<void>(() => follow(project, pass));
  if (navigator.locks) void navigator.locks.request(`saltpath-stream-${project}`, lead);
  else void lead();
}

function follow(project: string, pass: Listener): void {
  let last = 0;
  const stream = new EventSource(`/api/v1/events/stream?project=${encodeURIComponent(project)}`);
  stream.onmessage = (message) => {
    const event = JSON.parse(message.data as string) as RunEvent;
    last = event.id;
    pass(event);
  };
  stream.onerror = () => {
    if (stream.readyState === EventSource.CLOSED) askAgain(project, last, pass);
  };
}

/** Without a stream: ask what is new, and try a stream again after half a minute. */
function askAgain(project: string, after: number, pass: Listener): void {
  const until = Date.now() + 30_000;
  let last = after;
  const once = async () => {
    try {
      const page = await api.events(project, last);
      if (last > 0) for (const event of page.items) pass(event);
      last = Number(page.next ?? last);
    } catch {
      // The server is away for a moment; the next round asks again.
    }
    if (Date.now() > until) follow(project, pass);
    else window.setTimeout(() => void once(), ASK_EVERY_MS);
  };
  void once();
}

/** Calls `listener` for every event of the project while the component is shown. */
export function useEvents(project: string | undefined, listener: Listener): void {
  useEffect(() => {
    if (!project) return;
    begin(project);
    listeners.add(listener);
    return () => {
      listeners.delete(listener);
    };
  }, [project, listener]);
}
