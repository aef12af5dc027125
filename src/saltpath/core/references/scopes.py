"""Where values live while a case runs, and what a reference resolves to.

The nearest scope that has a name wins: run > kept > row > case > suite > project. Values that hold
references themselves are resolved when first used; a circle is refused.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta, tzinfo
from typing import Any

from msgspec import Struct, field

from saltpath.core.paths.jsonpath import as_literal
from saltpath.core.references.generators import KINDS as GENERATORS
from saltpath.core.references.generators import Making
from saltpath.core.references.pipes import apply_pipes
from saltpath.core.references.templates import (
    SCOPES,
    Reference,
    Template,
    compile_tree,
    holds_reference,
    references_in,
)
from saltpath.core.values import plain
from saltpath.core.values.draw import Draw
from saltpath.core.values.grammar import Unreadable, quoted
from saltpath.core.values.nearest import listed, nearest
from saltpath.core.values.why import Blocked, why


class Scope(Struct):
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


_EMPTY = Scope()


class Scopes:
    """All scopes that one row sees.

    Values given to the constructor are documents' values and may hold references; values that a run
    puts later (kept values, rows) are finished and are never read again.
    """

    __slots__ = (
        "_drawn",
        "_known",
        "_open",
        "_path",
        "_resolving",
        "_stand",
        "asking",
        "built_in",
        "by_name",
        "clock_us",
        "measures",
        "now_us",
        "on_secret",
        "read_file",
        "seeded",
        "used",
        "zone",
    )

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
            if holds_reference(value)
        }
        self._resolving: list[str] = []
        # by name, then by the reference's text
        self._known: dict[str, dict[str, tuple[Any, Any]]] = {}
        self.on_secret = on_secret
        self.used: dict[str, Any] = {}
        self.built_in: dict[str, Any] = {}
        self.zone: tzinfo = UTC
        self.now_us = 0
        self.clock_us: Callable[[], int] = lambda: self.now_us
        self.seeded: tuple[str | int, ...] = ()  # seed, case key, row number
        self.read_file: Callable[[str], bytes] | None = (
            None  # reads a file of the project; raises Blocked
        )
        self.measures: dict[str, Any] | None = (
            None  # what checks saw at this step's last pass; None: not known here
        )
        self.asking: Callable[[Reference], Any] | None = (
            None  # answers [=sent ...], [=answer ...] and [=request...]
        )
        self._path: tuple[str | int, ...] = ()  # keys of the steps around, and item numbers
        self._stand: tuple[str | int, ...] = ()  # these, step key and attempt
        self._drawn: dict[str, int] = {}

    @property
    def kept(self) -> Scope:
        return self.by_name["kept"]

    def keep(self, name: str, value: Any, secret: bool = False) -> None:
        """Put a finished value into the scope of kept values."""
        kept = self.by_name["kept"]
        kept.values[name] = value
        if secret:
            kept.secret.add(name)
        elif kept.secret:
            kept.secret.discard(name)
        if name in self._known:
            del self._known[name]

    def for_row(self, number: int, values: dict[str, Any]) -> Scopes:
        """What one row sees: these values, what was kept before all rows, and values of documents,
        which it resolves for itself."""
        row = Scopes.__new__(Scopes)
        open_in = {scope for scope, _ in self._open}
        row.by_name = {
            name: Scope(dict(scope.values), set(scope.secret))
            if name == "kept" or name in open_in
            else scope
            for name, scope in self.by_name.items()
        }
        row.by_name["row"] = Scope(values)
        row._open = dict(self._open) if self._open else {}
        row._resolving, row._known, row._drawn, row.used = [], {}, {}, {}
        row._path = row._stand = ()
        row.on_secret, row.zone, row.now_us, row.clock_us = (
            self.on_secret,
            self.zone,
            self.now_us,
            self.clock_us,
        )
        row.read_file, row.measures, row.asking = self.read_file, self.measures, None
        row.built_in = {**self.built_in, "row.number": number}
        row.seeded = (*self.seeded[:2], number)
        return row

    def put_column(self, name: str, value: Any) -> None:
        """One column more of the row."""
        self.by_name["row"].put(name, value)
        self._known.pop(name, None)

    def inside(self, given: Scope, defaults: dict[str, Any]) -> Scopes:
        """What shared steps see: their inputs, which are `given` or read as by default (compiled
        trees), and the values of run, suite and project; nothing of the caller's. What they keep
        stays inside."""
        inner = Scopes(Scope(), on_secret=self.on_secret)
        inner.by_name = {
            "run": self.by_name["run"],
            "kept": Scope(),
            "inputs": given,
            "suite": self.by_name["suite"],
            "project": self.by_name["project"],
        }
        inner._open = {key: tree for key, tree in self._open.items() if key[0] != "case"}
        for name, tree in defaults.items():
            given.values[name] = None
            inner._open["inputs", name] = tree
        inner.built_in, inner.zone, inner.clock_us, inner.seeded = (
            dict(self.built_in),
            self.zone,
            self.clock_us,
            self.seeded,
        )
        inner.now_us, inner.read_file, inner.measures = self.now_us, self.read_file, self.measures
        return inner

    def name_item(self, name: str, value: Any) -> Callable[[], None]:
        """Give an item a name, nearest of all. What is returned takes it away again."""
        items = self.by_name.get("item")
        before = items.values.get(name, ...) if items is not None else ...
        self.by_name = {
            "item": Scope({**(items.values if items else {}), name: value}),
            **self._without_items(),
        }
        self._known.pop(name, None)

        def back() -> None:
            values = {key: held for key, held in self.by_name["item"].values.items() if key != name}
            if before is not ...:
                values[name] = before
            rest = self._without_items()
            self.by_name = {"item": Scope(values), **rest} if values else rest
            self._known.pop(name, None)

        return back

    def _without_items(self) -> dict[str, Scope]:
        return {name: scope for name, scope in self.by_name.items() if name != "item"}

    def is_secret(self, tree: Any) -> bool:
        """Whether a reference in the tree stands for a secret."""
        for reference in references_in(tree):
            scopes = [reference.scope] if reference.scope else list(self.by_name)
            holder = next(
                (
                    s
                    for s in scopes
                    if s in self.by_name and reference.name in self.by_name[s].values
                ),
                None,
            )
            if holder is not None and reference.name in self.by_name[holder].secret:
                return True
        return False

    def begin_step(self, key: str = "", path: tuple[str | int, ...] = ()) -> None:
        """Forget which values were used; `used` then tells what one step resolved. `path`: the keys
        of the steps that it stands inside of, with the numbers of their items."""
        self.used = {}
        self._path = path
        self._stand = (*path, key, 1) if path else (key, 1)
        if self._drawn:
            self._drawn = {}

    def begin_attempt(self, key: str, attempt: int) -> None:
        """What is drawn from now on belongs to this attempt of the step."""
        self._stand = (*self._path, key, attempt)
        if self._drawn:
            self._drawn = {}

    def drawn(self) -> dict[str, int]:
        """How much was drawn in this attempt, so that the same can be drawn again."""
        return dict(self._drawn)

    def draw_again(self, drawn: dict[str, int]) -> None:
        """Draw from where `drawn` was taken."""
        self._drawn = dict(drawn)

    def find(self, reference: Reference) -> tuple[str, Any, bool]:
        """(scope, value, secret) of a reference's source. Raises Blocked if nothing has the
        name."""
        name = reference.name
        if reference.scope is not None:
            if reference.built_in and reference.full_name in self.built_in:
                return reference.scope, self.built_in[reference.full_name], False
            scope = self.by_name.get(reference.scope, _EMPTY)
            if name in scope.values:
                return reference.scope, self._value(reference.scope, name), name in scope.secret
        else:
            for scope_name, scope in self.by_name.items():
                if name in scope.values:
                    return scope_name, self._value(scope_name, name), name in scope.secret
        raise Blocked(self.missing(reference))

    def missing(self, reference: Reference) -> Any:
        searched = [reference.scope] if reference.scope else list(self.by_name)
        known = [name for scope in searched for name in self.by_name.get(scope, _EMPTY).values]
        near = nearest(reference.name, known)
        return why(
            "no-value",
            name=reference.full_name,
            scopes=listed(searched),
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
        stand, drawn = self._stand, self._drawn
        # it is drawn once a row, whichever step needs it first
        self._stand, self._drawn = (
            (label,),
            {},
        )
        try:
            value = self.fill(compiled)
        finally:
            self._resolving.pop()
            self._stand, self._drawn = stand, drawn
        del self._open[scope, name]
        self.by_name[scope].values[name] = value
        return value

    def resolve(self, reference: Reference) -> Any:
        """The value of a reference after its pipes, in its own type. Raises Blocked.

        A value found once is known until a step keeps another one under its name."""
        known, text = self._known.get(reference.name), reference.text
        if known is not None and text in known:
            value, self.used[text] = known[text]
            return value
        if not reference.name:
            return self._without_name(reference)
        try:
            scope, value, secret = self.find(reference)
        except Blocked as problem:
            if not reference.forgiving or problem.reason.code != "no-value":
                raise
            return apply_pipes(None, reference.pipes, self)
        if reference.pipes:
            value = apply_pipes(value, reference.pipes, self)
        if secret and self.on_secret is not None:
            self.on_secret(value)
        use = self.used[reference.text] = {"from": f"{scope}.{reference.name}", "value": value}
        # what is built in changes by itself
        if scope in self.by_name and not any(pipe.inner for pipe in reference.pipes):
            self._known.setdefault(reference.name, {})[reference.text] = (value, use)
        return value

    def file(self, path: str) -> bytes:
        """A file of the project. Raises Blocked."""
        if self.read_file is None:
            raise Blocked(why("no-file", path=path, problem="there are no files here"))
        return self.read_file(path)

    def _without_name(self, reference: Reference) -> Any:
        if reference.literal is not None:
            return apply_pipes(reference.literal, reference.pipes, self)
        if reference.made is not None:
            value, origin = self._make(reference), "made"
        elif self.asking is None:
            raise Blocked(why("asked-outside", reference=reference.text))
        else:
            value, origin = self.asking(reference), " ".join(reference.asks or ())
        if reference.pipes:
            value = apply_pipes(value, reference.pipes, self)
        self.used[reference.text] = {"from": origin, "value": value}
        return value

    def _make(self, reference: Reference) -> Any:
        """A generated value. The place it is drawn for is its step, its text, and its how-manieth
        of that text there."""
        made = reference.made
        assert made is not None
        turn = self._drawn[reference.text] = self._drawn.get(reference.text, 0) + 1
        making = Making(
            Draw(*self.seeded, *self._stand, reference.text, turn),
            moment(self.now_us),
            self.zone,
            int(self.built_in.get("row.number", 1)),
            lambda: moment(self.clock_us()),
        )
        bare = GENERATORS[made.kind].shape.endswith((" B", " N"))
        try:
            return made.make(
                making, lambda inner: self.text(inner) if bare else self.as_literals(inner)
            )
        except Unreadable as problem:
            raise Blocked(
                why("cannot-make", reference=reference.text, problem=str(problem))
            ) from None

    def as_literals(self, template: Template, in_path: bool = False) -> str:
        """The template with its references written as literals: text in quotes, all else as JSON.
        In a path a reference is a whole name or index, `$.[=x]` becomes `$['...']`."""
        if in_path:
            return fill_path(template, lambda reference: as_literal(self.resolve(reference)))
        pieces = []
        for part in template.parts:
            value = part if isinstance(part, str) else self.resolve(part)
            literal = quoted(value) if isinstance(value, str) else plain.write_json(value).decode()
            pieces.append(part if isinstance(part, str) else literal)
        return "".join(pieces)

    def text(
        self,
        template: Template,
        encode: Callable[[str, Any, Reference], str] | None = None,
        written: Callable[[str], str] | None = None,
    ) -> str:
        """The template as text, each value encoded by `encode(text, value, reference)` unless it is
        `| raw`, and what stands between them by `written(text)`."""
        pieces: list[str] = []
        for part in template.parts:
            if isinstance(part, str):
                pieces.append(part if written is None else written(part))
                continue
            value = self.resolve(part)
            if value is None:
                raise Blocked(why("null-inserted", name=part.full_name))
            text = plain.as_text(value)
            pieces.append(text if encode is None or part.raw else encode(text, value, part))
        return "".join(pieces)

    def fill(self, tree: Any) -> Any:
        """A compiled tree with every reference resolved; a text that is exactly one takes the
        value's own type."""
        if isinstance(tree, Template):
            single = tree.single
            return self.resolve(single) if single is not None else self.text(tree)
        if isinstance(tree, list):
            return [self.fill(item) for item in tree]
        if isinstance(tree, dict):
            return {key: self.fill(item) for key, item in tree.items()}
        return tree


def fill_path(template: Template, literal_of: Callable[[Reference], str]) -> str:
    """A path with its references as names, indexes or literals: `$.[=x]` becomes `$['...']`."""
    pieces: list[str] = []
    for part in template.parts:
        if isinstance(part, str):
            pieces.append(part)
            continue
        literal = literal_of(part)
        if pieces and pieces[-1].endswith(".") and not pieces[-1].endswith(".."):
            pieces[-1] = pieces[-1][:-1]
            literal = f"[{literal}]"
        pieces.append(literal)
    return "".join(pieces)


_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def moment(us: int) -> datetime:
    return _EPOCH + timedelta(microseconds=us)
