import { useState } from "react";
import { api, type Environment, type Shapes } from "../../api";
import { useAsk } from "../../parts/Confirm";
import { Menu } from "../../parts/menu/Menu";
import { InPlace } from "../../parts/typing/InPlace";

type Least = NonNullable<Shapes["EnvironmentGuard"]["run"]>;

/** The least roles that an environment can ask for, as the menu says them. */
const LEAST = [
  {
    role: "",
    run: "Whoever runs may run against it",
    change: "Whoever runs there lets steps change something",
  },
  {
    role: "editor",
    run: "Only editors and owners run against it",
    change: "Only editors and owners let steps change something",
  },
  {
    role: "owner",
    run: "Only owners run against it",
    change: "Only owners let steps change something",
  },
] as const;

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
  const guard = (given: { run?: Least; change?: Least }) =>
    change(() =>
      api.guardEnvironment(of.id, { run: of.runRole as Least, change: of.changeRole as Least, ...given }),
    );
  const acts: { [key: string]: () => unknown } = {
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
    ...LEAST.map(({ role, run }) => ({
      key: `run ${role}`,
      label: run,
      disabled: of.runRole === role,
      needs: "own" as const,
    })),
    ...LEAST.map(({ role, change }) => ({
      key: `change ${role}`,
      label: change,
      disabled: of.changeRole === role,
      needs: "own" as const,
    })),
    { key: "remove", label: "Take it away…" },
  ];
  const pick = (key: string) => {
    const [what = "", role = ""] = key.split(" ");
    if (what === "run" || what === "change") void guard({ [what]: role as Least });
    else void acts[key]?.();
  };
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
      {of.runRole && <span className="muted"> {of.runRole}s run</span>}
      {of.usual && <span className="muted"> usual</span>}
      <Menu
        needs="edit"
        items={items}
        pick={pick}
        className="plain-button small"
        aria-label={`What can be done with ${of.name}`}
      >
        …
      </Menu>
    </span>
  );
}
