import { useState } from "react";
import { api, type Environment } from "../../api";
import { useAsk } from "../../parts/Confirm";
import { Menu } from "../../parts/menu/Menu";
import { InPlace } from "../../parts/typing/InPlace";

/** An environment at the head of its column: its name, whether it is guarded, and what can be done with it. */
export function EnvironmentHead({ of, refresh }: { of: Environment; refresh: () => Promise<unknown> }) {
  const ask = useAsk();
  const [problem, setProblem] = useState("");
  const change = async (act: () => Promise<unknown>): Promise<string | undefined> => {
    try {
      await act();
      setProblem("");
      await refresh();
      return undefined;
    } catch (wrong) {
      setProblem((wrong as Error).message);
      return (wrong as Error).message;
    }
  };
  const remove = async () => {
    const sure = await ask({
      title: `Take ${of.name} away?`,
      text: "What is said of values there goes with it, its secrets too, and cannot be brought back. Runs against it stay.",
      yes: `Take ${of.name} away`,
      no: "Keep it",
    });
    if (sure) await change(() => api.removeEnvironment(of.id));
  };
  const acts = {
    usual: () => change(() => api.changeEnvironment(of.id, { usual: true })),
    guard: () => change(() => api.changeEnvironment(of.id, { guarded: !of.guarded })),
    remove,
  };
  const items = [
    { key: "usual", label: "Runs go here unless another is chosen", disabled: of.usual },
    {
      key: "guard",
      label: of.guarded ? "Do not guard it any more" : "Guard it: ask before steps change something",
    },
    { key: "remove", label: "Take it away…" },
  ];
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys in a head are not the grid's
    <span
      className="environment-head"
      onKeyDown={(event) => event.stopPropagation()}
      title={problem || of.about}
    >
      <InPlace
        text={of.name}
        label={`The name of ${of.name}`}
        save={(name) => change(() => api.changeEnvironment(of.id, { name }))}
      >
        {of.name}
      </InPlace>
      {of.guarded && <span className="guarded"> guarded</span>}
      {of.usual && <span className="muted"> usual</span>}
      <Menu
        needs="edit"
        items={items}
        pick={(key) => void acts[key as keyof typeof acts]()}
        className="plain-button small"
        aria-label={`What can be done with ${of.name}`}
      >
        …
      </Menu>
    </span>
  );
}
