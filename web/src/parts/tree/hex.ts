const MOST = 4096;
const A_LINE = 16;
/** Control characters that no text has; tab, line feed, form feed, carriage return and escape are left out. */
// biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is looked for
const NO_TEXT = /[\u0000-\u0008\u000b\u000e-\u001a\u001c-\u001f]/;

/** Bytes as text in a charset (one that a browser knows, else UTF-8); undefined where they are none. The end may be cut within a letter. */
export function textIn(bytes: Uint8Array<ArrayBuffer>, charset: string): string | undefined {
  try {
    const text = decoderOf(charset).decode(bytes, { stream: true });
    return NO_TEXT.test(text) ? undefined : text;
  } catch {
    return undefined;
  }
}

function decoderOf(charset: string): TextDecoder {
  try {
    return new TextDecoder(charset, { fatal: true });
  } catch {
    return new TextDecoder("utf-8", { fatal: true });
  }
}

/** The first bytes in hexadecimal digits, sixteen a line, with where they stand and the letters that they would be. */
export function dumped(bytes: Uint8Array<ArrayBuffer>): string {
  const lines: string[] = [];
  for (let at = 0; at < Math.min(bytes.length, MOST); at += A_LINE) {
    const row = [...bytes.subarray(at, Math.min(at + A_LINE, MOST))];
    const digits = row.map((byte) => byte.toString(16).padStart(2, "0")).join(" ");
    const letters = row.map((byte) => (byte > 32 && byte < 127 ? String.fromCharCode(byte) : "·")).join("");
    lines.push(`${at.toString(16).padStart(6, "0")}  ${digits.padEnd(A_LINE * 3)} ${letters}`);
  }
  if (bytes.length > MOST) lines.push(`… ${bytes.length - MOST} bytes more`);
  return lines.join("\n");
}
