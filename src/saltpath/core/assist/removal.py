"""A case that removes what a run made and left: it signs in as the steps did that made it, and
sends DELETE to each address.

What signs in is found from what the making step sends besides its body: its headers, sign-in and
cookies. A value in these that is no secret is known from the run; one that is, is had again by the
steps that kept it. Everything else of the case is left out, its checks too.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from typing import Any
from urllib.parse import urlsplit

from msgspec import Struct

from saltpath.core.cases.case import PARTS, Case, Step
from saltpath.core.cases.steps import pairs_of
from saltpath.core.references.templates import compile_tree, is_name, literal, references_in
from saltpath.core.values.errors import SaltPathError

Document = dict[str, Any]
GONE = [200, 202, 204, 205, 410]
"""The answers to DELETE after which a thing is not there; 404, too, where its address is not a
guess."""
LONGEST = 120
"""Characters of an address that the step which removes it is called by."""
_LEFT_OUT = ("expect", "write", "only if", "without", "off", "repeat")
_NOT_OURS = re.compile(
    r"(?i)content-.*|if-.*|expect|prefer|idempotency-key|transfer-encoding|range"
)
"""Headers that speak of what was sent to make the thing."""
_SCOPED = re.compile(r"\[=\s*(?:row|case)\.([^\W\d_][\w-]*)(?=\s*[\]|])")


class CannotRemove(SaltPathError):
    """Why a thing cannot be removed from here."""

    code = "not-removable"


class Placed(Struct, frozen=True):
    """A step that was carried out before, as it is written and as it reads, and where it stood."""

    raw: Document
    step: Step
    at: tuple[str, int, str]
    """Part, index, and the place inside that step."""
    auth: Any = None
    """How its case signs in, where it does not say so itself."""


class Made(Struct, frozen=True):
    """Something that was made: its address, and the step that did."""

    address: str
    part: str
    index: int
    inner: str = ""
    sent_cookies: bool = False
    is_guess: bool = False
    """Its address was put together, and not told by the service."""
    key: str = ""
    """The step's own."""


class Seen(Struct, frozen=True):
    """What is known of the row in which it was made."""

    known: Mapping[str, Any]
    """Values by name, but for secrets."""
    set_cookies: Collection[tuple[str, int, str]] = ()
    """The steps whose answers set cookies, by part, index and place inside."""


class SignedIn(Struct, frozen=True):
    """The steps that sign in, and the one that takes a thing away."""

    before: tuple[Document, ...]
    delete: Document


def removal(
    made: Made,
    seen: Seen,
    case: tuple[Document, Case],
    shared: Mapping[str, tuple[Document, Case]],
    set_up: Sequence[tuple[Document, Case]] = (),
) -> SignedIn:
    """What signs in, and what is sent then. `case`: the case whose step made it, as it is written
    and as it reads, with its shared steps in their places; `shared`: these by name; `set_up`: the
    cases that handed values down to it. Raises CannotRemove."""
    before = [one for other in set_up for one in _of_parts(*other, ("once", "steps"))]
    document, read = case
    parts = ("once", made.part) if made.part == "steps" else ("once", "steps", made.part)
    own = _of_parts(document, read, tuple(part for part in PARTS if part in parts))
    place = next((i for i, one in enumerate(own) if one.at[:2] == (made.part, made.index)), None)
    if place is None:
        raise CannotRemove("the step that made it is not in its case any more")
    before += own[:place]
    maker, inside = _maker(own[place], made, shared)
    before += inside
    asked = _delete(made, maker)
    needed = _needed(asked, before, seen, made.sent_cookies)
    steps: list[Document] = [_unscoped(_sent(one), seen.known) for one in needed]
    asked = _unscoped(asked, seen.known)
    values_of_case = {
        name: value
        for name, value in (document.get("values") or {}).items()
        if name not in read.values.secret
    }
    values = _set(_names_in([*steps, asked]), seen.known, values_of_case)
    return SignedIn((*values, *steps), asked)


def removal_case(name: str, options: Any, signed_in: Sequence[SignedIn]) -> Document:
    """One case for things that are signed in for alike; what was made last goes first."""
    document: Document = {"salt-path": 1, "case": name}
    if options:
        document["options"] = options
    document["on failure"] = "go on"
    deletes = [one.delete for one in reversed(signed_in)]
    once = list(signed_in[0].before)
    return {**document, **({"once": once} if once else {}), "steps": deletes}


# ---- the steps before


def _of_parts(document: Document, read: Case, parts: Sequence[str]) -> list[Placed]:
    return [
        Placed(raw, step, (part, index, ""), document.get("auth"))
        for part in parts
        for index, (raw, step) in enumerate(
            zip(document.get(part) or (), read.part(part), strict=True)  # type: ignore[arg-type]
        )
    ]


def _maker(
    outer: Placed, made: Made, shared: Mapping[str, tuple[Document, Case]]
) -> tuple[Placed, list[Placed]]:
    """The step itself, and those inside the same shared steps that came before it."""
    if not made.inner:
        return outer, []
    where, _, deeper = made.inner.partition("/")
    if deeper:
        raise CannotRemove("it was made deep inside shared steps")
    if "." in where:
        item, inner = str(outer.raw.get("as", "item")), int(where.partition(".")[2])
        raw, step = outer.raw["steps"][inner], outer.step.inside[inner]
        found = Placed(raw, step, outer.at, outer.auth)
        kept = {name for one in outer.step.inside for name in one.keeps()}
        if _names_in(_delete(Made("http://x/", *outer.at[:2]), found)) & {item, *kept}:
            raise CannotRemove("it was made for each item of a list, and signed in by the item")
        return found, []
    if outer.step.uses not in shared:
        raise CannotRemove(f"the shared steps {outer.step.uses} are not there any more")
    document, read = shared[outer.step.uses]
    index = next((n for n, step in enumerate(read.steps) if step.key == made.key), None)
    if index is None:
        raise CannotRemove(f"the shared steps {outer.step.uses} are others by now")
    own = [
        Placed(one.raw, one.step, (*outer.at[:2], str(one.at[1])))
        for one in _of_parts(document, read, ("steps",))
    ]
    inputs = {
        name: (outer.raw.get("with") or {}).get(name, about.get("default"))
        for name, about in (document.get("inputs") or {}).items()
    }
    given = Placed({"set": inputs}, _Given(tuple(inputs)), (*outer.at[:2], "given"))
    return own[index], [*([given] if inputs else []), *own[:index]]


class _Given(Step, frozen=True, eq=False):
    """The inputs of shared steps, as values that are set."""

    names: tuple[str, ...]

    def keeps(self) -> tuple[str, ...]:
        return self.names

    @property
    def off(self) -> bool:
        return False


def _needed(
    asked: Document, before: Sequence[Placed], seen: Seen, with_cookies: bool
) -> list[Placed]:
    """Those of the steps before that have to be carried out again."""
    chosen: set[int] = set()
    waiting = [(name, len(before)) for name in _names_in(asked)]
    if with_cookies:
        for place, one in enumerate(before):
            if one.at in seen.set_cookies:
                chosen.add(place)
                waiting += [(name, place) for name in _names_in(_sent(one))]
    while waiting:
        name, end = waiting.pop()
        if name in seen.known:
            continue
        for place in range(end - 1, -1, -1):
            if name in before[place].step.keeps() and not before[place].step.off:
                if place not in chosen:
                    chosen.add(place)
                    waiting += [(inner, place) for inner in _names_in(_sent(before[place]))]
                break
    return [before[place] for place in sorted(chosen)]


def _sent(one: Placed) -> Document:
    """A step without what does not matter when it signs in, and with how it signs in itself."""
    raw = {name: value for name, value in one.raw.items() if name not in _LEFT_OUT}
    if one.auth is not None and "request" in raw and "auth" not in raw:
        raw["auth"] = one.auth
    return raw


def _unscoped(held: Any, known: Mapping[str, Any]) -> Any:
    """What stood in the row, or was drawn for the case, has just its name here."""
    if isinstance(held, dict):
        return {name: _unscoped(value, known) for name, value in held.items()}
    if isinstance(held, list):
        return [_unscoped(value, known) for value in held]
    if not isinstance(held, str) or "[=" not in held:
        return held
    return _SCOPED.sub(lambda m: f"[={m[1]}" if m[1] in known and is_name(m[1]) else m[0], held)


def _set(names: set[str], known: Mapping[str, Any], own: Mapping[str, Any]) -> list[Document]:
    """A step that sets what is known of these names, and what the case says of the others."""
    values = {
        name: _literal(known[name]) if name in known else own[name]
        for name in sorted(names)
        if is_name(name) and (name in known or name in own)
    }
    more = {
        name: own[name]
        for name in sorted(_names_in(list(values.values())) - {*values})
        if name in own
    }
    return [{"set": {**more, **values}}] if values else []


def _literal(value: Any) -> Any:
    """A value as a document has it, in which no reference is meant."""
    if isinstance(value, str):
        return literal(value)
    if isinstance(value, dict):
        return {_literal(name): _literal(inner) for name, inner in value.items()}
    return [_literal(inner) for inner in value] if isinstance(value, list) else value


# ---- the step that takes away


def _delete(made: Made, maker: Placed) -> Document:
    path = urlsplit(made.address).path or "/"
    raw = maker.raw
    if "request" not in raw:
        raise CannotRemove("no request of the case made it")
    step: Document = {
        "request": f"Remove {path[:LONGEST]}",
        "send": f"DELETE {_as_written(made.address)}",
    }
    query = [(name, value) for name, value in pairs_of(raw.get("query")) if "[=" in str(value)]
    if query:
        step["query"] = [list(pair) for pair in query]
    headers = [pair for pair in pairs_of(raw.get("headers")) if not _NOT_OURS.fullmatch(pair[0])]
    if headers:
        step["headers"] = [list(pair) for pair in headers]
    auth = raw.get("auth", maker.auth)
    if auth is not None:
        step["auth"] = auth
    if raw.get("options"):
        step["options"] = raw["options"]
    gone = GONE if made.is_guess else [*GONE, 404]
    step["expect"] = [{"of": "status", "is one of": gone}]
    return step


def _as_written(address: str) -> str:
    """A finished address, in which nothing waits for a value."""
    quoted = address.replace("{", "%7B").replace("}", "%7D")
    return quoted.replace("[=", "%5B=")


def _names_in(held: Any) -> set[str]:
    return {reference.name for reference in references_in(compile_tree(held)) if reference.name}
