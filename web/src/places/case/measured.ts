import type { CardPlace } from "../../case/threads";

/** Where the cards of a list stand, from its top, and in each the rows of what it keeps, in pixels. */
export function measured(list: HTMLOListElement): CardPlace[] {
  const top = list.getBoundingClientRect().top;
  return [...list.children].map((child) => {
    const keeps = new Map<string, number>();
    for (const row of child.querySelectorAll<HTMLElement>("[data-keep]")) {
      if (!row.checkVisibility({ contentVisibilityAuto: true })) continue;
      const box = row.getBoundingClientRect();
      keeps.set(row.dataset.keep ?? "", Math.round(box.top - top + box.height / 2));
    }
    return {
      number: Number((child as HTMLElement).dataset.step),
      top: Math.round((child.querySelector(".step") ?? child).getBoundingClientRect().top - top),
      keeps,
    };
  });
}
