import { Dropdown } from "antd";
import { type RefObject, useEffect, useRef } from "react";
import type { MenuItem } from "./items";
import { LibraryTheme } from "./LibraryTheme";

interface Props {
  items: MenuItem[];
  selected?: string;
  pick: (key: string) => void;
  /** `back`: the focus goes back to where it was opened. */
  close: (back: boolean) => void;
}

/** The menu of a button, over whose place it lies while it is open. The library knows its items by their numbers: it looks for their
 *  keys with selectors, in which a name with a quote means something else. */
export default function OpenMenu({ items, selected, pick, close }: Props) {
  const keys = items.map((item) => ("key" in item ? item.key : undefined));
  const numbered = items.map(({ needs: _, ...item }, at) =>
    "key" in item ? { ...item, key: String(at) } : item,
  );
  const at = selected ? keys.indexOf(selected) : -1;
  const into = useRef<HTMLDivElement>(null);
  useEffect(() => focusInside(into), []);
  return (
    <LibraryTheme>
      <Dropdown
        open
        trigger={["click"]}
        menu={{
          items: numbered,
          onClick: ({ key, domEvent }) => {
            domEvent.stopPropagation();
            domEvent.preventDefault(); // else the Enter that chose also presses the button, which has the focus again
            pick(keys[Number(key)] ?? "");
          },
          selectedKeys: at < 0 ? [] : [String(at)],
        }}
        popupRender={(menu) => <div ref={into}>{menu}</div>}
        onOpenChange={(opens, { source }) => {
          if (!opens && source === "trigger") close(true);
        }}
      >
        {/* biome-ignore lint/a11y/noStaticElementInteractions: the button below it has the keys */}
        <span className="menu-over" onKeyDown={(event) => event.key === "Escape" && close(true)} />
      </Dropdown>
    </LibraryTheme>
  );
}

/** Give the first item the focus once it can take it: the library tries for three frames, in which a busy browser shows nothing yet. */
function focusInside(menu: RefObject<HTMLElement | null>) {
  let frame = 0;
  const look = () => {
    menu.current?.querySelector<HTMLElement>("[role=menuitem]")?.focus({ preventScroll: true });
    if (!menu.current?.contains(document.activeElement)) frame = requestAnimationFrame(look);
  };
  frame = requestAnimationFrame(look);
  return () => cancelAnimationFrame(frame);
}
