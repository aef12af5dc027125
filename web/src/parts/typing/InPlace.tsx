import {
  lazy,
  type ReactNode,
  type RefObject,
  Suspense,
  useContext,
  useEffect,
  useRef,
  useState,
} from "react";
import type { Right } from "../../api";
import { MayContext } from "../../api/may";
import type { Early } from "./BodyField";
import { useDraft } from "./drafts";
import type { Insertable } from "./inserting";
import { Typing } from "./Typing";

const BodyField = lazy(() => import("./BodyField"));

interface Props {
  /** What is edited, as text. */
  text: string;
  label: string;
  /** Save; a sentence says why it could not be, and the text stays. */
  save: (text: string) => Promise<string | undefined>;
  children: ReactNode;
  lines?: boolean;
  /** A body: edited with an editor of its own. */
  body?: "json" | "text";
  hint?: string;
  /** Save also what was not changed, as a proposal that is taken. */
  always?: boolean;
  /** It opens with the values for its `{place}`. */
  asks?: boolean;
  /** Values that `[=` offers. */
  insertable?: Insertable;
  /** Who may not change it reads it; what is empty is not there for them. */
  needs?: Right | "self";
  /** Shown below while typing: what would come of it. `put` replaces the text. */
  below?: (typed: string, put: (text: string) => void) => ReactNode;
}

/** A part of a sentence that is changed where it stands: click it or press Enter on it, type, Enter keeps, Escape leaves. */
export function InPlace({ needs = "edit", ...props }: Props) {
  const held = useContext(MayContext);
  if (needs === "self" || held.includes(needs)) return <Changeable needs={needs} {...props} />;
  return props.text ? <span className="read-only">{props.children}</span> : null;
}

function Changeable({ children, body, ...field }: Props) {
  const draft = useDraft(field.label);
  const [open, setOpen] = useState(draft.text !== undefined);
  const button = useRef<HTMLButtonElement>(null);
  const wasOpen = useRef(open);
  // The focus comes back to where the field was opened, unless it went elsewhere.
  useEffect(() => {
    if (wasOpen.current && !open && document.activeElement === document.body)
      button.current?.focus({ preventScroll: true });
    wasOpen.current = open;
  }, [open]);
  const early = useRef<Early>(undefined);
  const close = () => {
    early.current = undefined;
    setOpen(false);
  };
  if (open && body) {
    return (
      <Suspense fallback={<UntilItIsThere text={draft.text ?? field.text} early={early} close={close} />}>
        <BodyField {...field} json={body === "json"} early={early} close={close} />
      </Suspense>
    );
  }
  if (open) return <Typing {...field} close={close} />;
  return (
    <button ref={button} type="button" className="in-place" title={field.label} onClick={() => setOpen(true)}>
      {children}
    </button>
  );
}

/** A body's field while its editor is read for the first time: what is typed meanwhile, also Ctrl Enter and Escape, is not lost. */
function UntilItIsThere({
  text,
  early,
  close,
}: {
  text: string;
  early: RefObject<Early | undefined>;
  close: () => void;
}) {
  return (
    <textarea
      className="body-field mono"
      aria-label="Opening the body…"
      defaultValue={text}
      // biome-ignore lint/a11y/noAutofocus: whoever opened it types at once
      autoFocus
      onFocus={(event) => event.target.setSelectionRange(text.length, text.length)}
      onChange={(event) => {
        early.current = { typed: event.target.value, keep: early.current?.keep ?? false };
      }}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") close();
        if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
        event.preventDefault();
        early.current = { typed: event.currentTarget.value, keep: true };
      }}
    />
  );
}
