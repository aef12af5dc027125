import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { Decoration, type EditorView, MatchDecorator, ViewPlugin, type ViewUpdate } from "@codemirror/view";
import { tags } from "@lezer/highlight";

/** A reference with the brackets that its subject may hold, such as `[=answer $.lines[*].amount | sum]`; or a literal `[='[=']`. */
const REFERENCE = /\[='\[[=?]'\]|\[=(?:[^\][\n]|\[(?:[^\][\n]|\[[^\][\n]*\])*\])*\]/g;
const mark = Decoration.mark({ class: "reference", attributes: { title: "a value that is inserted here" } });
const decorator = new MatchDecorator({ regexp: REFERENCE, decoration: mark });
/** References are marked text: the characters stay what they are. */
export const references = ViewPlugin.fromClass(
  class {
    decorations;
    constructor(view: EditorView) {
      this.decorations = decorator.createDeco(view);
    }
    update(update: ViewUpdate) {
      this.decorations = decorator.updateDeco(update, this.decorations);
    }
  },
  { decorations: (plugin) => plugin.decorations },
);

export const style = syntaxHighlighting(
  HighlightStyle.define([
    { tag: tags.propertyName, class: "code-name" },
    { tag: [tags.number, tags.bool, tags.null], class: "code-number" },
    { tag: tags.comment, class: "code-comment" },
  ]),
);
/** The page's policy lets styles in that carry it. */
export const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";
