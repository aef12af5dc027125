import { Fragment } from "react";
import type { Case } from "../../../api";
import { isFields, type Json, readTyped, writeExact } from "../../../base/exact";
import type { Document } from "../../../case/document";
import { InPlace } from "../../../parts/typing/InPlace";
import { MarkSecret } from "../edit/Findings";
import { useInsertable } from "../state/context";
import type { Edits } from "../state/useEditing";

/** The case's own values in a sentence: "with vessel Marrow Finch, length 23.4". They hide those of suite and project. */
export function CaseValues({ of, edits }: { of: Case; edits: Edits }) {
  const insertable = useInsertable(0);
  const values = valuesOf(of.document as Document);
  const change = (next: { [name: string]: Json }) =>
    edits.apply((document) => {
      const { values: _, ...rest } = document;
      return Object.keys(next).length ? { ...rest, values: next } : rest;
    });
  const save = (name: string) => (text: string) => {
    const { [name]: _, ...others } = values;
    return change(text.trim() ? { ...values, [name]: readTyped(text) } : others);
  };
  const add = (text: string) => {
    const [, name, value = ""] = /^\s*(\S+)\s*(?:=|\s)\s*(.*)$/s.exec(text) ?? [];
    return name && value
      ? change({ ...values, [name]: readTyped(value) })
      : Promise.resolve("Write it as: name = what it reads as, such as vessel = Marrow Finch");
  };
  const names = Object.keys(values);
  return (
    <>
      {names.length > 0 && "with "}
      {names.map((name, index) => (
        <Fragment key={name}>
          {index > 0 && ", "}
          <span className="reference mono">{name}</span>{" "}
          <InPlace
            text={typedAs(values[name])}
            label={`What ${name} reads as in this case`}
            hint="Empty: the case has no such value any more."
            insertable={insertable}
            save={save(name)}
          >
            <span className="mono">{shown(values[name])}</span>
          </InPlace>
          {of.findings.some(({ secret }) => secret?.at === "value" && secret.called === name) && (
            <>
              {" "}
              <MarkSecret step="" of={{ at: "value", called: name }} what={name} />
            </>
          )}
        </Fragment>
      ))}{" "}
      <InPlace
        text=""
        label="One more value of this case"
        hint="name = what it reads as; in this case it hides a value of the suite or the project."
        insertable={insertable}
        save={add}
      >
        <span className="add">+ a value</span>
      </InPlace>
    </>
  );
}

const valuesOf = (document: Document): { [name: string]: Json } =>
  isFields(document.values) ? document.values : {};

const isSecret = (value: Json | undefined): boolean => isFields(value) && value.secret === true;

/** A value as it would be typed again: a text bare, unless it would be read as something else. */
function typedAs(value: Json | undefined): string {
  if (isSecret(value)) return "";
  return typeof value === "string" && readTyped(value) === value ? value : writeExact(value);
}

const shown = (value: Json | undefined): string => (isSecret(value) ? "a secret" : typedAs(value));
