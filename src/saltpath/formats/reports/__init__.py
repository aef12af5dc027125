"""Reports of runs: `report.py` is what they tell, `results.py` gives it of a run that is watched as
it happens, and each other module writes one form of it, in pieces. `FORMS` lists them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from importlib import import_module

from msgspec import Struct

from saltpath.formats.reports.report import Report


class Form(Struct, frozen=True):
    """A form that a report can have."""

    name: str
    media_type: str
    ending: str
    module: str
    """The module that writes it, loaded when it is asked for."""
    writer: str = "write"
    inline: bool = False
    """Whether a browser may show it: nothing in it can do anything."""

    def write(self, report: Report) -> Iterator[bytes]:
        module = import_module(f"{__name__}.{self.module}")
        writer: Callable[[Report], Iterator[bytes]] = getattr(module, self.writer)
        return writer(report)


FORMS = {
    form.name: form
    for form in (
        Form("html", "text/html; charset=utf-8", "html", "page"),
        Form("junit", "application/xml", "xml", "junit"),
        Form("json", "application/json", "json", "json_report"),
        Form(
            "xlsx",
            "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
            "xlsx",
            "workbook",
        ),
        Form("har", "application/json", "har", "har"),
        Form("markdown", "text/markdown; charset=utf-8", "md", "summary", "write_markdown"),
        Form("text", "text/plain; charset=utf-8", "txt", "summary", "write_text", True),
    )
}
