import { useEffect } from "react";
import { api, type RunEvent } from "../api";

/**
 * One stream of events per project and browser, shared by its tabs: the tab that holds the lock listens to the server and hands events
 * on. Where there is no stream to be had, it asks every two seconds. It ends a moment after the last page that listens to it.
 */
type Listener = (event: RunEvent) => void;

const ASK_EVERY_MS = 2000;
const STREAM_AGAIN_MS = 30_000;
/** How long a stream outlives its last listener: from one page to another nothing is asked anew. */
const LINGER_MS = 1000;

interface Following {
  listeners: Set<Listener>;
  /** Ends a while later what nobody listens to. */
  ending: number | undefined;
  end: () => void;
}

const followings = new Map<string, Following>();

function begin(project: string): Following {
  const listeners = new Set<Listener>();
  const channel = new BroadcastChannel(`saltpath-${project}`);
  const over = new AbortController();
  let last = 0;
  const tell = (event: RunEvent) => {
    last = Math.max(last, event.id);
    for (const listener of [...listeners]) listener(event);
  };
  channel.onmessage = (message: MessageEvent<RunEvent>) => tell(message.data);
  const pass = (event: RunEvent) => {
    if (event.id <= last) return;
    tell(event);
    channel.postMessage(event);
  };
  /** Until it is over; a tab that takes the lead goes on where the one before it was. */
  const lead = () => follow(project, () => last, pass, over.signal);
  if (navigator.locks)
    void navigator.locks
      .request(`saltpath-stream-${project}`, { signal: over.signal }, lead)
      .catch(() => undefined); // it was over while another tab held it
  else void lead();
  const end = () => {
    over.abort();
    channel.close();
    followings.delete(project);
  };
  const following = { listeners, ending: undefined, end };
  followings.set(project, following);
  return following;
}

async function follow(project: string, last: () => number, pass: Listener, over: AbortSignal): Promise<void> {
  while (!over.aborted) {
    await streamed(project, last(), pass, over);
    if (!over.aborted) await asked(project, last(), pass, over);
  }
}

/** Passes on what a stream brings, until it is over or refused. Where it breaks off, the browser takes it up again by itself. */
function streamed(project: string, after: number, pass: Listener, over: AbortSignal): Promise<void> {
  return new Promise((done) => {
    const stream = new EventSource(api.eventStream(project, after));
    const end = () => {
      stream.close();
      done();
    };
    over.addEventListener("abort", end, { once: true });
    stream.onmessage = (message) => pass(JSON.parse(message.data as string) as RunEvent);
    stream.onerror = () => {
      if (stream.readyState === EventSource.CLOSED) end();
    };
  });
}

/** Without a stream: what is new from now on, every two seconds, for half a minute. */
async function asked(project: string, after: number, pass: Listener, over: AbortSignal): Promise<void> {
  const until = Date.now() + STREAM_AGAIN_MS;
  let last = after;
  while (!over.aborted && Date.now() < until) {
    try {
      const page = await api.events(project, last);
      for (const event of page.items) if (!over.aborted) pass(event);
      last = Number(page.next ?? last);
    } catch {
      // The server is away for a moment; the next round asks again.
    }
    await new Promise((resolve) => window.setTimeout(resolve, ASK_EVERY_MS));
  }
}

/** Calls `listener` for every event of the project while the component is shown. */
export function useEvents(project: string | undefined, listener: Listener): void {
  useEffect(() => {
    if (!project) return;
    const following = followings.get(project) ?? begin(project);
    window.clearTimeout(following.ending);
    following.listeners.add(listener);
    return () => {
      following.listeners.delete(listener);
      if (following.listeners.size) return;
      window.clearTimeout(following.ending);
      following.ending = window.setTimeout(following.end, LINGER_MS);
    };
  }, [project, listener]);
}
