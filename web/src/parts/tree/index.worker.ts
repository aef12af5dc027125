import { indexJson, type TreeIndex } from "./indexer";

export interface Asked {
  address: string;
  lines: boolean;
}
export type Reply = { index: TreeIndex } | { problem: string } | { raw: Uint8Array<ArrayBuffer> };

/** Fetches a body and indexes it off the page's thread; the arrays are handed over, not copied. */
self.onmessage = async (message: MessageEvent<Asked>) => {
  try {
    const answer = await fetch(message.data.address);
    if (!answer.ok) {
      self.postMessage({ problem: `The body could not be read (${answer.status}).` } satisfies Reply);
      return;
    }
    const bytes = new Uint8Array(await answer.arrayBuffer());
    try {
      const index = indexJson(message.data.lines ? asList(bytes) : bytes);
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

const [BLANK, TAB, LINE, RETURN, COMMA] = [32, 9, 10, 13, 44];

/** Lines as a JSON list of them; empty ones are none. */
function asList(bytes: Uint8Array<ArrayBuffer>): Uint8Array<ArrayBuffer> {
  const list = new Uint8Array(bytes.length + 3);
  let length = 0;
  let open = false;
  list[length++] = 0x5b;
  for (const byte of bytes) {
    if (byte === LINE) open = false;
    else if (open || (byte !== BLANK && byte !== TAB && byte !== RETURN)) {
      if (!open && length > 1) list[length++] = COMMA;
      open = true;
      list[length++] = byte;
    }
  }
  list[length++] = 0x5d;
  return list.slice(0, length);
}
