"""The tables of the format as documentation shows them: pipes, generators, subjects, relations,
loose values, formats.

`make docs` writes them into docs/case-format.md, between `<!-- pipes -->` and `<!-- end -->`; a
test holds the two together.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from saltpath.core.answers import subjects
from saltpath.core.checks import loose, relations, sentences
from saltpath.core.references import generators, pipes
from saltpath.core.values import plain, text_formats


def _table(head: tuple[str, ...], rows: Iterable[tuple[str, ...]]) -> str:
    lines = [head, tuple("---" for _ in head), *rows]
    return "\n".join(
        "| " + " | ".join(cell.replace("|", "\\|") for cell in line) + " |" for line in lines
    )


def _code(text: str) -> str:
    return f"`{text}`"


def _value(value: Any) -> str:
    return _code(plain.write_json(value).decode())


def pipe_table() -> str:
    rows = (
        (
            _code(kind.shape),
            kind.about,
            f"{_value(kind.example[0])} | {_code(kind.example[1])} gives {_value(kind.example[2])}",
        )
        for kind in pipes.KINDS.values()
    )
    return _table(("pipe", "gives", "example"), rows)


def generator_table() -> str:
    rows = (
        (_code(f"[={kind.shape}]"), kind.about, _code(f"[={kind.example}]"))
        for kind in generators.KINDS.values()
    )
    return _table(("written", "gives", "example"), rows)


def subject_table() -> str:
    rows = (
        (_code(kind.shape), kind.about, _code(kind.example)) for kind in subjects.KINDS.values()
    )
    return _table(("subject", "is", "example"), rows)


def relation_table() -> str:
    rows = (
        (_code(item.name), item.about, _relation_example(item)) for item in relations.TABLE.values()
    )
    return _table(("relation", "holds of", "example"), rows)


def _relation_example(item: relations.Relation) -> str:
    actual, expected = item.example
    words = sentences.sentence("it", item.name, expected)
    return f"{_code(words)}, where it is {_value(actual)}"


def loose_table() -> str:
    rows = (
        (_code(kind.shape), kind.about, f"{_code(kind.example[0])} fits {_value(kind.example[1])}")
        for kind in loose.KINDS.values()
    )
    return _table(("loose value", "fits", "example"), rows)


def format_table() -> str:
    rows = (
        (_code(form.name), form.source, _code(form.example))
        for form in text_formats.FORMATS.values()
    )
    return _table(("format", "as in", "example"), rows)


TABLES: dict[str, Callable[[], str]] = {
    "pipes": pipe_table,
    "generators": generator_table,
    "subjects": subject_table,
    "relations": relation_table,
    "loose values": loose_table,
    "formats": format_table,
}


def filled(text: str) -> str:
    """A page with its tables as they are now."""

    def fill(found: re.Match[str]) -> str:
        return f"<!-- {found[1]} -->\n{TABLES[found[1]]()}\n<!-- end -->"

    return re.sub(r"<!-- ([a-z ]+) -->\n.*?<!-- end -->", fill, text, flags=re.DOTALL)


if __name__ == "__main__":
    page = Path(sys.argv[1])
    page.write_text(filled(page.read_text(encoding="utf-8")), encoding="utf-8")
