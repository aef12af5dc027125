/** An identity for a new step. */
export function newKey(): string {
  const letters = "abcdefghijkmnpqrstuvwxyz23456789";
  return Array.from(crypto.getRandomValues(new Uint8Array(6)), (byte) => letters[byte % 32]).join("");
}
