"""A run in a few sentences: as plain text, and as Markdown with a table of what did not pass."""

from __future__ import annotations

import re
from collections.abc import Iterator

from saltpath.core.running.run_sentences import (
    facts_sentence,
    first_sentence,
    unchecked_sentence,
)
from saltpath.core.values.measures import counted, show_duration
from saltpath.formats.reports.report import Report, ReportedCause
from saltpath.formats.terminal import printable

MOST_CAUSES = 50
MOST_CASES = 200
_SPECIAL = re.compile(r"([\\`*_{}\[\]<>()#+|!~&]|^[-.=])")


def sentences(report: Report) -> list[str]:
    """How it ended: how many passed, each cause that is news, what checks nothing, what is known,
    and who stopped it."""
    said = [first_sentence(report.verdict, report.case_counts, report.rows)]
    news = [cause for cause in report.causes if not cause.known]
    said += [ended(cause.told) for cause in news[:MOST_CAUSES]]
    if len(news) > MOST_CAUSES:
        said.append(f"There are {counted(len(news) - MOST_CAUSES, 'cause')} more.")
    said += [f"Known: {ended(known_told(cause))}" for cause in report.causes if cause.known]
    said.append(unchecked_sentence(report.case_counts))
    if report.stopped_by:
        said.append(f"Stopped by {report.stopped_by}.")
    return [sentence for sentence in said if sentence]


def known_told(cause: ReportedCause) -> str:
    return f"{cause.told} ({cause.known})"


def ended(sentence: str) -> str:
    return sentence if sentence.endswith((".", "?")) else f"{sentence}."


def facts(report: Report) -> str:
    return facts_sentence(
        report.number,
        report.environment,
        report.build,
        report.started_by,
        report.seed,
        report.us,
    )


def write_text(report: Report) -> Iterator[bytes]:
    """The verdict in the first word, then the sentences, a line each, and where its page is."""
    lines = [f"{report.verdict}: {report.title}", *sentences(report), facts(report)]
    if report.address:
        lines.append(report.address)
    yield "".join(f"{printable(one_line(line))}\n" for line in lines).encode()


def write_markdown(report: Report) -> Iterator[bytes]:
    """The same with a table of the cases that did not pass."""
    lines = [f"## {marked(report.title)}: {report.verdict}", ""]
    first, *others = sentences(report)
    lines += [f"**{marked(first)}**", ""]
    lines += [f"- {marked(sentence)}" for sentence in others]
    lines += [""] * bool(others)
    lines += [marked(facts(report)), ""]
    if report.note:
        lines += [*(f"> {marked(line)}" for line in report.note.splitlines()), ""]
    if report.address:
        lines += [f"<{report.address}>", ""]
    lines += _table(report)
    yield "\n".join(lines).encode()


def _table(report: Report) -> list[str]:
    bad = [case for case in report.cases() if case.verdict not in ("passed", "skipped")]
    if not bad:
        return []
    lines = ["| case | suite | verdict | why | time |", "|---|---|---|---|--:|"]
    for case in bad[:MOST_CASES]:
        cells = (case.called, case.suite, case.verdict, case.why.sentence if case.why else "")
        told = " | ".join(marked(one_line(cell)) for cell in cells)
        lines.append(f"| {told} | {show_duration(case.us)} |")
    if len(bad) > MOST_CASES:
        more = counted(len(bad) - MOST_CASES, "case")
        lines += ["", f"{more} more did not pass."]
    return [*lines, ""]


def one_line(text: str) -> str:
    return " ".join(text.split())


def marked(text: str) -> str:
    """Text that Markdown shows as it is: nothing of it is a mark, a link or markup."""
    return _SPECIAL.sub(r"\\\1", printable(one_line(text)))
