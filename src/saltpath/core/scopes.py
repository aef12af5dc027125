"""Where values live while a case runs, and what a reference resolves to.

The nearest scope that has a name wins: run > kept > row > case > suite > project. Values that hold references themselves
are resolved when first used; a circle is refused.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from saltpath.core import plain
from saltpath.core.nearest import listed, nearest
from saltpath.core.pipes import apply_pipes
from saltpath.core.references import SCOPES, Reference, Template, compile_tree
from saltpath.core.why import Blocked, why


@dataclass(slots=True)
class Scope:
    """The values of one scope by name. `secret` names those that are shown nowhere."""

    values: dict[str, Any] = field(default_factory=dict)
    secret: set[str] = field(default_factory=set)
    origin: str = ""

    def put(self, name: str, value: Any, secret: bool = False) -> None:
        """Put a finished value: what it holds is never read as a reference."""
        self.values[name] = value
        if secret:
            self.secret.add(name)
        else:
            self.secret.discard(name)


class Scopes:
    """All scopes that one row sees.

    Values given to the constructor are documents' values and may hold references; values that a run puts later
    (kept values, rows) are finished and are never read again.
    """

    __slots__ = ("_known", "_open", "_resolving", "built_in", "by_name", "on_secret", "used")

    def __init__(
        self,
        project: Scope,
        suite: Scope | None = None,
        case: Scope | None = None,
        row: Scope | None = None,
        run: Scope | None = None,
        on_secret: Callable[[Any], None] | None = None,
    ) -> None:
        given = (run, None, row, case, suite, project)
        self.by_name = {name: scope or Scope() for name, scope in zip(SCOPES, given, strict=True)}
        self._open = {
            (name, key): compile_tree(value)
            for name in ("case", "suite", "project")
            for key, value in self.by_name[name].values.items()
        }
        self._resolving: list[str] = []
        self._known: dict[str, dict[str, tuple[Any, Any]]] = {}  # by name, then by the reference's text
        self.on_secret = on_secret
        self.used: dict[str, Any] = {}
        self.built_in: dict[str, Any] = {}

    @property
    def kept(self) -> Scope:
        return self.by_name["kept"]

    def keep(self, name: str, value: Any, secret: bool = False) -> None:
        """Put a finished value into the scope of kept values."""
        self.by_name["kept"].put(name, value, secret)
        self._known.pop(name, None)

    def begin_step(self) -> None:
        """Forget which values were used; `used` then tells what one step resolved."""
        self.used = {}

    def find(self, reference: Reference) -> tuple[str, Any, bool]:
        """(scope, value, secret) of a reference's source. Raises Blocked if nothing has the name."""
        name = reference.name
        if reference.scope is not None:
            if reference.full_name in self.built_in:
                return reference.scope, self.built_in[reference.full_name], False
            scope = self.by_name[reference.scope]
            if name in scope.values:
                return reference.scope, self._value(reference.scope, name), name in scope.secret
        else:
            for scope_name, scope in self.by_name.items():
                if name in scope.values:
                    return scope_name, self._value(scope_name, name), name in scope.secret
        raise Blocked(self.missing(reference))

    def missing(self, reference: Reference) -> Any:
        searched = [reference.scope] if reference.scope else [s for s in SCOPES if self.by_name[s].values]
        known = [name for scope in searched for name in self.by_name[scope].values]
        near = nearest(reference.name, known)
        return why(
            "no-value",
            name=reference.full_name,
            scopes=listed(searched) if searched else "every scope",
            near=f"; did you mean {near}?" if near else "",
        )

    def _value(self, scope: str, name: str) -> Any:
        compiled = self._open.pop((scope, name), None)
        if compiled is None:
            return self.by_name[scope].values[name]
        label = f"{scope}.{name}"
        if label in self._resolving:
            chain = " -> ".join([*self._resolving[self._resolving.index(label) :], label])
            self._open[scope, name] = compiled
            raise Blocked(why("value-circle", name=name, chain=chain))
        self._open[scope, name] = compiled
        self._resolving.append(label)
        try:
            value = self.fill(compiled)
        finally:
            self._resolving.pop()
        del self._open[scope, name]
        self.by_name[scope].values[name] = value
        return value

    def resolve(self, reference: Reference) -> Any:
        """The value of a reference after its pipes, in its own type. Raises Blocked.

        A value found once is known until a step keeps another one under its name."""
        known = self._known.get(reference.name)
        if known is not None and reference.text in known:
            value, self.used[reference.text] = known[reference.text]
            return value
        if reference.literal is not None:
            return apply_pipes(reference.literal, reference.pipes)
        try:
            scope, value, secret = self.find(reference)
        except Blocked as problem:
            if not reference.forgiving or problem.reason.code != "no-value":
                raise
            return apply_pipes(None, reference.pipes)
        if reference.pipes:
            value = apply_pipes(value, reference.pipes)
        if secret and self.on_secret is not None:
            self.on_secret(value)
        use = self.used[reference.text] = {"from": f"{scope}.{reference.name}", "value": value}
        if scope in self.by_name:  # what is built in (a step's name, say) changes by itself
            self._known.setdefault(reference.name, {})[reference.text] = (value, use)
        return value

    def text(self, template: Template, encode: Callable[[str, Any, Reference], str] | None = None) -> str:
        """The template as text, each value encoded by `encode(text, value, reference)` unless it is `| raw`."""
        pieces: list[str] = []
        for part in template.parts:
            if isinstance(part, str):
                pieces.append(part)
                continue
            value = self.resolve(part)
            if value is None:
                raise Blocked(why("null-inserted", name=part.full_name))
            text = plain.as_text(value)
            pieces.append(text if encode is None or part.raw else encode(text, value, part))
        return "".join(pieces)

    def fill(self, tree: Any) -> Any:
        """A compiled tree with every reference resolved; a text that is exactly one takes the value's own type."""
        if isinstance(tree, Template):
            single = tree.single
            return self.resolve(single) if single is not None else self.text(tree)
        if isinstance(tree, list):
            return [self.fill(item) for item in tree]
        if isinstance(tree, dict):
            return {key: self.fill(item) for key, item in tree.items()}
        return tree
