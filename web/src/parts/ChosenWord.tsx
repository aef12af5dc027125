import type { MenuItem } from "./menu/items";
import { Menu } from "./menu/Menu";

interface Props {
  text: string;
  items: MenuItem[];
  choose: (key: string) => void;
}

/** A word of a button's sentence that is one of several. */
export function ChosenWord({ text, items, choose }: Props) {
  return (
    <Menu items={items} pick={choose} className="underlined">
      {text}
    </Menu>
  );
}
