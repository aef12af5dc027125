import {
  type ButtonHTMLAttributes,
  lazy,
  type ReactNode,
  Suspense,
  useContext,
  useRef,
  useState,
} from "react";
import type { Right } from "../../api";
import { MayContext } from "../../api/may";
import type { MenuItem } from "./items";

export const readMenu = () => import("./OpenMenu");
const OpenMenu = lazy(readMenu);

interface Props extends Omit<ButtonHTMLAttributes<HTMLButtonElement>, "onClick"> {
  items: MenuItem[];
  pick: (key: string) => void;
  selected?: string;
  /** It is there for whoever may. */
  needs?: Right;
  /** Said when it opens. */
  opens?: () => void;
  children: ReactNode;
}

/** A button that opens a menu. The component library draws that, and is read when somebody comes near it: no page waits for it. */
export function Menu({ items, pick, selected, needs, opens, children, ...button }: Props) {
  const held = useContext(MayContext);
  const allowed = items.filter((item) => !item.needs || held.includes(item.needs));
  const [open, setOpen] = useState(false);
  const opener = useRef<HTMLButtonElement>(null);
  const close = (back: boolean) => {
    setOpen(false);
    if (back) opener.current?.focus({ preventScroll: true });
  };
  if ((needs && !held.includes(needs)) || !allowed.some((item) => "key" in item)) return null;
  return (
    <span className="menu">
      <button
        ref={opener}
        type="button"
        aria-haspopup="menu"
        aria-expanded={open}
        {...button}
        onPointerEnter={() => void readMenu().catch(() => undefined)}
        onFocus={() => void readMenu().catch(() => undefined)}
        onClick={() => {
          opens?.();
          setOpen(true);
        }}
      >
        {children}
      </button>
      {open && (
        <Suspense fallback={null}>
          <OpenMenu
            items={allowed}
            selected={selected}
            close={close}
            pick={(key) => {
              close(true);
              pick(key);
            }}
          />
        </Suspense>
      )}
    </span>
  );
}
