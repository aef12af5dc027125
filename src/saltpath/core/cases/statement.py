"""The one SQL statement of a look-up. Values never become part of its text: each is a parameter
that is bound.

A statement is built of pieces: text, names (quoted as identifiers), and values. SQL that a tester
wrote is cut at its references; where a reference stands inside quotes or a comment it could not be
bound, so that is refused when the case is read.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from typing import Any

from msgspec import Struct

from saltpath.core.references.templates import Reference, Template
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import nearest
from saltpath.core.values.why import Why, why

SIMPLE = {"is": "=", "above": ">", "below": "<", "at least": ">=", "at most": "<="}
WITH_LIST = ("is one of", "is none of", "between")
IN_TEXT = {"contains": ("%", "%"), "starts with": ("", "%"), "ends with": ("%", "")}
RELATIONS = (*SIMPLE, "is not", *WITH_LIST, *IN_TEXT, "present", "absent")
"""What `where` can ask of a column."""
MOST_LIST = 1_000
_READING = re.compile(
    r"\s*(?:\(\s*)*(select|values|table|with|show|explain|pragma)\b", re.IGNORECASE
)
_CHANGING_INSIDE = re.compile(
    r"\b(insert|update|delete|merge|truncate|drop|alter|create)\b", re.IGNORECASE
)
_TOKEN = re.compile(
    r"""'(?:[^']|'')*(?:'|$) | "(?:[^"]|"")*(?:"|$) | `[^`]*(?:`|$) | --[^\n]* | /\*.*?(?:\*/|$)
      | \$(?P<tag>[A-Za-z_]\w*)?\$.*?(?:\$(?P=tag)\$|$) | \$\$.*?(?:\$\$|$)""",
    re.VERBOSE | re.DOTALL,
)
_HOLE = "\ue000"


class Condition(Struct, frozen=True):
    """What must hold of a column: a relation of `RELATIONS`, and a compiled tree."""

    column: str
    relation: str
    expected: Any


class Asked(Struct, frozen=True):
    """Which rows: of a `table`, its `columns` (none: all) where `conditions` hold, in the order of
    `order` (a leading `-` turns a column's round), `most` of them; or what `sql` gives, in which
    references stand for values."""

    table: str = ""
    columns: tuple[str, ...] = ()
    conditions: tuple[Condition, ...] = ()
    order: tuple[str, ...] = ()
    sql: Template | None = None

    def trees(self) -> list[Any]:
        """What is worked out for it: compiled trees, in which references may stand."""
        return [
            *([self.sql] if self.sql else []),
            *(condition.expected for condition in self.conditions),
        ]


class Statement(Struct, frozen=True):
    """`text` with a placeholder (`?` or `%s`) for each of `values`, in order. `reads`: whether it
    changes nothing, as far as its words tell."""

    text: str
    values: tuple[Any, ...]
    reads: bool


def no_database(name: str, known: Iterable[str]) -> Why:
    """There is no database of this name."""
    near = nearest(name, known)
    return why("no-database", name=name, near=f"; did you mean {near}?" if near else "")


def read_sql(template: Template) -> None:
    """Raises Unreadable where a reference could not be bound, or where there is more than one
    statement."""
    text = "".join(part if isinstance(part, str) else _HOLE for part in template.parts)
    for found in _TOKEN.finditer(text):
        if _HOLE in found[0]:
            inside = "a comment" if found[0].startswith(("--", "/*")) else "quotes"
            raise Unreadable(
                "a reference stands for a whole value and is bound as one, so it cannot stand in "
                f"{inside}: "
                f"write = [=name], not = '[=name]'"
            )
    bare = _TOKEN.sub(" ", text)
    if ";" in bare.rstrip().rstrip(";"):
        raise Unreadable("a look-up is one statement; found several, with ; between them")
    if not bare.strip().rstrip(";").strip():
        raise Unreadable(
            "sql is a statement such as select * from port_call where id = [=portCallId]"
        )


def changes(asked: Asked) -> bool:
    """Whether it may change something: SQL that does not begin as a question, or has a changing
    word in it."""
    if asked.sql is None:
        return False
    bare = _TOKEN.sub(
        " ", "".join(part if isinstance(part, str) else "?" for part in asked.sql.parts)
    )
    return _READING.match(bare) is None or _CHANGING_INSIDE.search(bare) is not None


def statement(asked: Asked, fill: Callable[[Any], Any], mark: str, most: int) -> Statement:
    """The statement with its values worked out by `fill`, which raises Blocked. `mark` stands for a
    value. One row more than `most` is asked for, so that it is seen when there are more. Raises
    Unreadable for a value that cannot be asked with."""
    if asked.sql is not None:
        return _of_sql(asked.sql, fill, mark, not changes(asked))
    values: list[Any] = []
    columns = ", ".join(map(_of_row, asked.columns)) or "*"
    text = _literal(f"SELECT {columns} FROM {table_name(asked.table)} AS r", mark)
    said = [
        _condition(condition, fill(condition.expected), mark, values)
        for condition in asked.conditions
    ]
    if said:
        text += " WHERE " + " AND ".join(said)
    if asked.order:
        order = (
            _of_row(name.removeprefix("-")) + (" DESC" if name.startswith("-") else "")
            for name in asked.order
        )
        text += _literal(" ORDER BY " + ", ".join(order), mark)
    return Statement(text + f" LIMIT {most + 1}", tuple(values), True)


def _literal(text: str, mark: str) -> str:
    """Text that holds no placeholder."""
    return text.replace("%", "%%") if mark == "%s" else text


def _of_sql(sql: Template, fill: Callable[[Any], Any], mark: str, reads: bool) -> Statement:
    values: list[Any] = []
    pieces: list[str] = []
    for part in sql.parts:
        if isinstance(part, Reference):
            pieces.append(_marks(fill(Template(part.text, (part,))), mark, values))
        else:
            pieces.append(_literal(part, mark))
    return Statement("".join(pieces).strip().rstrip(";"), tuple(values), reads)


def _marks(value: Any, mark: str, values: list[Any]) -> str:
    """A placeholder for a value; for a list one for each item, so that `in ([=list])` works."""
    if isinstance(value, list) and not any(isinstance(item, (list, dict)) for item in value):
        _count(value)
        values += value
        if not value and mark != "?":
            raise Unreadable(
                "a list that stands in SQL is empty here; ask otherwise where there is nothing to "
                "ask for"
            )
        # in a list of nothing is no value
        return ", ".join([mark] * len(value)) if value else "SELECT NULL WHERE 0"
    values.append(value)
    return mark


def _condition(condition: Condition, value: Any, mark: str, values: list[Any]) -> str:
    column, relation = _literal(_of_row(condition.column), mark), condition.relation
    if relation in ("present", "absent"):
        return f"{column} IS {'NOT ' if relation == 'present' else ''}NULL"
    if relation in ("is", "is not") and value is None:
        return f"{column} IS {'NOT ' if relation == 'is not' else ''}NULL"
    if relation in WITH_LIST:
        return _with_list(condition, value, mark, values)
    if isinstance(value, (list, dict)):
        raise Unreadable(
            f"{condition.column} is compared with one value, and this is a list or an object"
        )
    if relation in IN_TEXT:
        before, after = IN_TEXT[relation]
        escaped = re.sub(r"([\\%_])", r"\\\1", "" if value is None else str(value))
        values.append(before + escaped + after)
        return f"{column} LIKE {mark} ESCAPE '\\'"
    values.append(value)
    if relation == "is not":
        return f"({column} <> {mark} OR {column} IS NULL)"
    return f"{column} {SIMPLE[relation]} {mark}"


def _with_list(condition: Condition, value: Any, mark: str, values: list[Any]) -> str:
    column = _literal(_of_row(condition.column), mark)
    if not isinstance(value, list) or (condition.relation == "between" and len(value) != 2):
        wanted = "two values" if condition.relation == "between" else "a list"
        raise Unreadable(f"{condition.column} {condition.relation} needs {wanted}")
    _count(value)
    values += value
    if condition.relation == "between":
        return f"{column} BETWEEN {mark} AND {mark}"
    none = condition.relation == "is none of"
    if not value:
        return "1 = 1" if none else "1 = 0"
    known = [item for item in value if item is not None]
    del values[len(values) - len(value) :]
    values += known
    said = (
        f"{column} {'NOT ' if none else ''}IN ({', '.join([mark] * len(known))})" if known else ""
    )
    nothing = f"{column} IS {'NOT ' if none and len(known) < len(value) else ''}NULL"
    if none:  # a row in which nothing stands is none of them, as it `is not` any value
        return (
            f"({said} {'AND' if len(known) < len(value) else 'OR'} {nothing})" if said else nothing
        )
    return said if len(known) == len(value) else f"({said} OR {nothing})" if said else nothing


def _count(value: Sequence[Any]) -> None:
    if len(value) > MOST_LIST:
        raise Unreadable(
            f"a list of at most {MOST_LIST} values can be asked with; this has {len(value)}"
        )


def _of_row(column: str) -> str:
    """A column of the table, which it is said to be: SQLite takes a name that no column has, in
    quotes, for a text."""
    return f"r.{quoted(column)}"


def quoted(name: str) -> str:
    """A name as an identifier of standard SQL."""
    if "\x00" in name:
        raise Unreadable("a name of a column or a table holds no zero character")
    return '"' + name.replace('"', '""') + '"'


def table_name(name: str) -> str:
    """A table's name, also with its schema: `harbour.port_call`."""
    return ".".join(quoted(part) for part in name.split("."))
