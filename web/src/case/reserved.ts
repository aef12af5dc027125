/** Words that a reference begins with, and that no kept value can be called: the same as in core/references/templates.py, which a test holds. */
export const RESERVED: ReadonlySet<string> = new Set(
  "any now today clock count sent answer request run row kept case suite project step".split(" "),
);
