"""What a table makes of cases: each row's request and check read, what could not be read said row
by row, nothing lost.

In a sheet of our own (`whole`) the rows of a step are all of its checks, so that one may go; but a
step with a row that cannot be read loses none. In any other sheet rows only add checks and change
what is expected. Empty cells carry on from above.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

from msgspec import Struct, field

from saltpath.core.assist.difference import differences
from saltpath.core.assist.naming import name_for
from saltpath.core.cases.steps import with_step
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data
from saltpath.core.sheet.cells import as_cell, aside, read_cells, read_request
from saltpath.core.sheet.headings import EXPECTED_OF, is_own
from saltpath.core.sheet.rows import REQUEST_COLUMNS, check_cells, requests_of
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import nearest

Document = dict[str, Any]
Known = Callable[[str, str], Mapping[str, str]]
"""Paths of the last answer by the name of their last part, of a step by its case's key and its
own."""
_Words = tuple[str, str, str]
_BESIDE = ("note", "advice", "off")


class Fault(Struct, frozen=True):
    """What could not be read: the row of the table, the column, and why."""

    row: int
    column: str
    sentence: str


class Planned(Struct, frozen=True):
    """One case as the table would have it. `before`: as it is stored, None for a new one; `changes`
    as sentences."""

    before: Document | None
    document: Document
    changes: list[str]


class Place(Struct, frozen=True):
    """Which check a row is: its case by number in the plan, its request by number in the case, and
    its cells."""

    row: int
    case: int
    request: int
    check: dict[str, str]


class Plan(Struct):
    """What a table comes to."""

    cases: list[Planned] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    places: list[Place] = field(default_factory=list)


class _Step(Struct):
    """A request that rows speak of: `stored` None for a new one; `said`: its stored checks by their
    cells."""

    stored: Document | None
    name: str
    first: int
    request: dict[str, str] = field(default_factory=dict)
    checks: list[tuple[int, Document]] = field(default_factory=list)
    faulty: bool = False
    said: dict[_Words, Document] = field(default_factory=dict)


class _Case(Struct):
    before: Document | None
    name: str
    steps: list[_Step] = field(default_factory=list)


def plan(
    table: Sequence[Sequence[str]],
    columns: Sequence[str],
    cases: Sequence[Document],
    *,
    first: int = 0,
    known: Known = lambda _case, _step: {},
    new_cases: bool = True,
    otherwise: str = "",
) -> Plan:
    """Read a table whose columns are named onto cases. `first`: the number of its first row;
    `new_cases`: whether a name that no case has makes one; `otherwise`: the case that rows belong
    to while none is named. The documents of the plan can be read, and new ones have no keys yet."""
    return _Reading(columns, cases, known, new_cases, otherwise).read(table, first)


class _Reading:
    """One reading of a table, from top to bottom."""

    def __init__(
        self,
        columns: Sequence[str],
        cases: Sequence[Document],
        known: Known,
        new_cases: bool,
        otherwise: str,
    ) -> None:
        self.columns, self.stored, self.known = columns, cases, known
        self.new_cases, self.otherwise = new_cases, otherwise
        self.whole = is_own(columns)
        self.result = Plan()
        self.cases: list[_Case] = []
        self.case: _Case | None = None
        self.step: _Step | None = None

    def read(self, table: Sequence[Sequence[str]], first: int) -> Plan:
        for number, row in enumerate(table, first):
            cells = {
                name: text
                for name, text in zip(self.columns, row, strict=False)
                if name and text.strip()
            }
            case = self._case_of(number, cells) if cells else None
            step = self._step_of(case, number, cells) if case is not None else None
            if case is not None and step is not None:
                self._requests(number, cells, step)
                self._checks(number, cells, case, step)
        for case in self.cases:
            self._finish(case)
        return self.result

    def _fault(self, row: int, column: str, sentence: str) -> None:
        self.result.faults.append(Fault(row, column, sentence[:1].upper() + sentence[1:]))

    # ---- where a row belongs

    def _case_of(self, number: int, cells: Mapping[str, str]) -> _Case | None:
        key, name = cells.get("case key", "").strip(), cells.get("case", "").strip()
        if not key and not name:
            if self.case is not None:
                return self.case
            name = self.otherwise
        found = next((d for d in self.stored if key and d.get("key") == key), None) or next(
            (d for d in self.stored if name and _is_said(str(d["case"]), name)), None
        )
        if found is None and not (self.new_cases and name):
            near = nearest(name, [str(d["case"]) for d in self.stored])
            said = (
                f"there is no case “{name}” here"
                if name
                else "no row above says which case this belongs to"
            )
            self._fault(number, "case", said + (f"; did you mean “{near}”?" if near else ""))
            self.case = self.step = None
            return None
        title = str(found["case"]) if found is not None else name
        case = next(
            (c for c in self.cases if c.before is found and (found is not None or c.name == title)),
            None,
        )
        if case is None:
            case = _Case(found, title)
            self.cases.append(case)
        if case is not self.case:
            self.case, self.step = case, None
        if name and self.whole and not (found is not None and _is_said(str(found["case"]), name)):
            case.name = name
        return case

    def _step_of(self, case: _Case, number: int, cells: Mapping[str, str]) -> _Step | None:
        key, name = cells.get("step key", "").strip(), cells.get("step", "").strip()
        address = as_cell(cells.get("address", "")).strip()
        stored = next(
            (s for s in requests_of(case.before or {}) if key and s.get("key") == key), None
        )
        if stored is not None:
            step = next((s for s in case.steps if s.stored is stored), None) or self._begun(
                case, stored, number
            )
            if name and self.whole and not _is_said(str(stored["request"]), name):
                step.name = name
        elif name:
            step = self._named(case, number, name, address)
        elif address and (self.step is None or self.step.request.get("address") != address):
            method = cells.get("method", "GET").strip()
            stored = self._stored(case, lambda step: str(step.get("send")) == f"{method} {address}")
            step = self._begun(case, stored, number, name_for(method, address.partition("?")[0]))
        elif self.step is not None:
            step = self.step
        else:
            only = requests_of(case.before or {})
            if len(only) != 1:
                self._fault(number, "step", "no row above says which request this checks")
                return None
            step = self._begun(case, only[0], number)
        self.step = step
        return step

    def _named(self, case: _Case, number: int, name: str, address: str) -> _Step:
        spoken = [
            s
            for s in case.steps
            if s.name == name and address in ("", s.request.get("address", address))
        ]
        if spoken:
            return spoken[-1]
        return self._begun(
            case,
            self._stored(case, lambda step: _is_said(str(step["request"]), name)),
            number,
            name,
        )

    def _stored(self, case: _Case, fits: Callable[[Document], bool]) -> Document | None:
        """The first stored request that fits and that no row has spoken of."""
        taken = [step.stored for step in case.steps]
        return next(
            (
                s
                for s in requests_of(case.before or {})
                if fits(s) and not any(s is t for t in taken)
            ),
            None,
        )

    def _begun(self, case: _Case, stored: Document | None, row: int, name: str = "") -> _Step:
        step = _Step(stored, str(stored["request"]) if stored is not None else name, row)
        for check in (stored or {}).get("expect") or []:
            step.said.setdefault(_words(check), check)
        case.steps.append(step)
        return step

    # ---- what a row says

    def _requests(self, number: int, cells: Mapping[str, str], step: _Step) -> None:
        for column in REQUEST_COLUMNS:
            text = as_cell(cells.get(column, "")).strip()
            if text and step.request.setdefault(column, text) != text:
                step.faulty = True
                self._fault(
                    number, column, f"the {column} of “{step.name}” is written otherwise above"
                )

    def _checks(self, number: int, cells: Mapping[str, str], case: _Case, step: _Step) -> None:
        known = self.known(
            str((case.before or {}).get("key", "")), str((step.stored or {}).get("key", ""))
        )
        for column in self.columns:
            if column.startswith(EXPECTED_OF) and column in cells:
                words = _words_of_column(column.removeprefix(EXPECTED_OF), cells[column].strip())
                self._take(number, column, step, partial(_read_check, *words, known))
        if any(column in cells for column in ("of", "relation", "expected")):
            self._take(number, "of", step, lambda: self._of_row(cells, step, known))

    def _of_row(self, cells: Mapping[str, str], step: _Step, known: Mapping[str, str]) -> Document:
        """The check of a row; one that says what a stored check says keeps what no cell holds, such
        as notes within a group."""
        of, relation, expected = (
            as_cell(cells.get(column, "")).strip() for column in ("of", "relation", "expected")
        )
        check = step.said.get((of, relation, expected)) or _read_check(
            of, relation, expected, known
        )
        rest = {name: value for name, value in check.items() if name not in _BESIDE}
        beside = aside(cells.get("note", ""), cells.get("mark", ""))
        if "note" in beside and _is_said(str(check.get("note", "")), beside["note"]):
            beside["note"] = check["note"]
        return {**rest, **beside}

    def _take(self, number: int, column: str, step: _Step, read: Callable[[], Document]) -> None:
        try:
            check = read()
        except (Unreadable, FormatError) as problem:
            step.faulty = True
            self._fault(number, column, str(problem))
        else:
            step.checks.append((number, check))

    # ---- what comes of it

    def _finish(self, case: _Case) -> None:
        before = case.before
        document: Document = (
            dict(before) if before is not None else {"salt-path": 1, "case": case.name, "steps": []}
        )
        if self.whole:
            document["case"] = case.name
        done: list[tuple[_Step, Document]] = []
        for step in case.steps:
            made = self._made(step)
            if made is not None:
                document = _with_step(document, step.stored, made)
                done.append((step, made))
        if before is None and not done:
            return
        number, requests = len(self.result.cases), requests_of(document)
        for step, made in done:
            at = next(place for place, other in enumerate(requests) if other is made)
            self.result.places += [
                Place(row, number, at, check_cells(check)) for row, check in step.checks
            ]
        changes = differences(before, document) if before is not None else []
        self.result.cases.append(Planned(before, document, changes))

    def _made(self, step: _Step) -> Document | None:
        """The step as its rows have it; None for a new one that cannot be made."""
        if step.stored is None and not step.request.get("address"):
            self._fault(
                step.first,
                "step",
                f"there is no request “{step.name}” in this case; a new one needs an address",
            )
            return None
        made = {**(step.stored or {}), "request": step.name}
        made.pop("expect", None)
        try:
            changed = read_request(made, step.request)
            _must_read(changed)
            made = changed
        except (Unreadable, FormatError) as problem:
            self._fault(step.first, "address", str(problem))
            if step.stored is None:
                return None
        checks = self._merged(step, [check for _, check in step.checks])
        return {**made, "expect": checks} if checks else made

    def _merged(self, step: _Step, given: list[Document]) -> list[Document]:
        """The checks of a step: those of its rows, and where rows only add and change, in the
        places of what they change."""
        if self.whole and not step.faulty:
            return given
        merged: list[Document] = list((step.stored or {}).get("expect") or [])
        words = [_words(check) for check in merged]
        free = list(range(len(words)))
        for check in given:
            wanted = _words(check)
            alike = [at for at in free if words[at] == wanted] or [
                at for at in free if words[at][:2] == wanted[:2]
            ]
            if not alike:
                merged.append(check)
                continue
            free.remove(alike[0])
            old = merged[alike[0]]
            merged[alike[0]] = {
                **check,
                **{name: old[name] for name in _BESIDE if name in old and name not in check},
            }
        return merged


def _is_said(stored: str, cell: str) -> bool:
    """Whether a cell says what is stored, as far as a cell can."""
    return as_cell(stored).strip() == cell


def _words_of_column(of: str, cell: str) -> _Words:
    """A cell of a column that says what one subject is expected to be; a body is what the answer's
    has to fit."""
    return (of, "fits", cell) if of == "$" and cell[:1] in ("{", "[") else (of, "", cell)


def _words(check: Mapping[str, Any]) -> _Words:
    """A check as the words of its cells."""
    cells = check_cells(check)
    return cells["of"].strip(), cells["relation"].strip(), cells["expected"].strip()


def _read_check(of: str, relation: str, expected: str, known: Mapping[str, str]) -> Document:
    """Raises Unreadable, FormatError."""
    check = read_cells(of, relation, expected, known)
    _must_read({"request": "x", "send": "GET http://x/", "expect": [check]})
    return check


def _must_read(step: Document) -> None:
    """Raises FormatError."""
    case_from_data({"salt-path": 1, "case": "x", "steps": [step]})


def _with_step(document: Document, stored: Document | None, made: Document) -> Document:
    """The case with a step in the place of the stored one, or a new one at the end of its path."""
    if stored is None:
        return {**document, "steps": [*(document.get("steps") or []), made]}
    return with_step(document, stored, made)
