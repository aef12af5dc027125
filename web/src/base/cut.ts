/** The beginning of a text, of so many characters at most. */
export const cut = (text: string, most: number): string =>
  text.length > most ? `${text.slice(0, most - 1)}…` : text;
