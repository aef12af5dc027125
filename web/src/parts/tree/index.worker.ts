import { indexJson, type TreeIndex } from "./indexer";

export type Reply = { index: TreeIndex } | { problem: string } | { raw: Uint8Array<ArrayBuffer> };

/** Fetches a body and indexes it off the page's thread; the arrays are handed over, not copied. */
self.onmessage = async (message: MessageEvent<string>) => {
  try {
    const answer = await fetch(message.data);
    if (!answer.ok) {
      self.postMessage({ problem: `The body could not be read (${answer.status}).` } satisfies Reply);
      return;
    }
    const bytes = new Uint8Array(await answer.arrayBuffer());
    try {
      const index = indexJson(bytes);
      const arrays = Object.values(index).filter(
        (value): value is Uint8Array<ArrayBuffer> => typeof value === "object",
      );
      self.postMessage({ index } satisfies Reply, { transfer: arrays.map((array) => array.buffer) });
    } catch {
      self.postMessage({ raw: bytes } satisfies Reply, { transfer: [bytes.buffer] });
    }
  } catch {
    self.postMessage({ problem: "The body could not be fetched. Is Salt Path running?" } satisfies Reply);
  }
};
