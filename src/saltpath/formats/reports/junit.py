"""JUnit XML: a suite per case, a test case per row and step. Blocked is `error`, unchecked a
`failure` of that type, skipped `skipped`; advice that did not hold is said in the suite's
`system-out`. Times in seconds.

There is no one standard. What is written here is what each of the common schemas allows: no
attributes at the top, a suite's `properties` first and its `system-out` and `system-err` last,
`package`, `id` and `hostname` there, times with three digits, the reason of `skipped` as its text,
and nothing said of skipped tests where there are none. `package` is the case's file
(tests/formats/junit_schemas.py).
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections import Counter
from collections.abc import Iterator
from datetime import UTC, datetime
from tempfile import SpooledTemporaryFile

from saltpath.core.running.events import StepFinished
from saltpath.core.values.measures import show_in
from saltpath.formats.reports.report import Report, ReportedCase, item_of
from saltpath.formats.xml_text import xml_text

MOST_IN_MEMORY = 10_000_000
PIECE = 1 << 16


def write(report: Report) -> Iterator[bytes]:
    """The whole document in pieces, a case each; UTF-8."""
    yield b"<?xml version='1.0' encoding='utf-8'?>\n"
    yield from _root(report)


def write_undeclared(report: Report) -> Iterator[bytes]:
    """The same without the declaration, which nothing may stand before."""
    yield from _root(report)


def _root(report: Report) -> Iterator[bytes]:
    yield b"<testsuites>\n"
    for case in report.cases():
        yield from _suite(case, report)
    yield b"</testsuites>\n"


def _seconds(us: int) -> str:
    return f"{us / 1e6:.3f}"


def _suite(case: ReportedCase, report: Report) -> Iterator[bytes]:
    """A case. Its tests wait in a file until they are counted: the counts stand before them."""
    moment = (
        datetime.fromtimestamp(report.started / 1e6, UTC)
        .isoformat(timespec="seconds")
        .replace("+00:00", "")
    )
    counts = Counter[str]()
    told = list[str]()
    with SpooledTemporaryFile(MOST_IN_MEMORY) as tests:
        for step in filter(_is_test, case.steps()):
            known = report.known_as(case.position, step)
            test = _test(step, case.called, known)
            counts["tests"] += 1
            counts.update(child.tag for child in test)
            told += [f"{_named(step)}: advice: {line}" for line in _advice(step)]
            if known:
                told.append(f"{_named(step)}: known: {known}")
            tests.write(_written(test, 2))
        if not counts["tests"]:
            counts.update(tests=1, skipped=1)
            tests.write(_written(_whole_case(case), 2))
        suite = ET.Element(
            "testsuite",
            name=xml_text(case.called),
            package=xml_text(case.file),
            id=str(case.position),
            hostname="localhost",
            time=_seconds(case.us),
            timestamp=moment,
            tests=str(counts["tests"]),
            failures=str(counts["failure"]),
            errors=str(counts["error"]),
        )
        if counts["skipped"]:
            suite.set("skipped", str(counts["skipped"]))
        begin, _, end = _written(suite, 1, short=False).rpartition(b"</")
        # one is asked for by a schema; a reader in use takes no name twice in a document
        seed = {"name": f"seed of case {case.position}", "value": str(report.seed)}
        properties = ET.Element("properties")
        ET.SubElement(properties, "property", seed)
        yield begin + b"\n" + _written(properties, 2)
        tests.seek(0)
        yield from iter(lambda: tests.read(PIECE), b"")
    out, err = ET.Element("system-out"), ET.Element("system-err")
    out.text = xml_text("\n".join(told)) or None
    yield _written(out, 2) + _written(err, 2) + b"  </" + end


def _written(element: ET.Element, level: int, short: bool = True) -> bytes:
    """An element as it stands at a level of the document, in lines of its own."""
    ET.indent(element, level=level)
    octets: bytes = ET.tostring(element, "utf-8", short_empty_elements=short)
    return b"  " * level + octets + b"\n"


def _whole_case(case: ReportedCase) -> ET.Element:
    """What stands for a case of which nothing was carried out."""
    test = ET.Element(
        "testcase", name="the whole case", classname=xml_text(case.called), time=_seconds(0)
    )
    ET.SubElement(test, "skipped").text = xml_text(case.why.sentence if case.why else "")
    return test


def _is_test(step: StepFinished) -> bool:
    """Requests and look-ups, and whatever else was blocked; what holds other steps is told by
    these, unless it was blocked before them."""
    if step.kind in ("shared", "for each"):
        return step.verdict == "blocked" and (
            step.why is None or not step.why.code.startswith("inside")
        )
    return step.kind in ("request", "look up") or step.verdict == "blocked"


def _test(step: StepFinished, case: str, known: str) -> ET.Element:
    test = ET.Element(
        "testcase", name=xml_text(_named(step)), classname=xml_text(case), time=_seconds(step.us)
    )
    reason = xml_text(step.why.sentence if step.why else "")
    if known:
        return test
    if step.verdict == "failed":
        failure = ET.SubElement(test, "failure", message=reason, type="failed")
        failure.text = xml_text(_details(step))
    elif step.verdict == "blocked":
        ET.SubElement(test, "error", message=reason, type="blocked").text = xml_text(_details(step))
    elif step.verdict == "skipped":
        ET.SubElement(test, "skipped").text = reason
    elif step.verdict == "unchecked" and step.counts:
        ET.SubElement(test, "failure", message="nothing was checked in this step", type="unchecked")
    return test


def _named(step: StepFinished) -> str:
    name = step.name if step.part == "steps" else f"{step.name} ({step.part})"
    item = item_of(step)
    if item:
        name = f"{name}, item {item}"
    return f"row {step.row}: {name}" if step.row else name


def _advice(step: StepFinished) -> list[str]:
    return [
        f"{o.check}: {o.why.sentence if o.why else ''}"
        for o in step.outcomes
        if o.advice and o.verdict == "failed"
    ]


def _details(step: StepFinished) -> str:
    """One paragraph per check that does not hold: the check, expected, actual, where."""
    lines: list[str] = []
    for outcome in step.outcomes:
        if outcome.verdict in ("failed", "blocked") and not outcome.advice:
            lines.append(f"{outcome.check}: {outcome.why.sentence if outcome.why else ''}")
            lines.append(f"  expected: {show_in(outcome.expected, outcome.unit, 500)}")
            lines.append(f"  actual: {show_in(outcome.actual, outcome.unit, 500)}")
            if outcome.where:
                lines.append(f"  where: {', '.join(outcome.where)}")
    for exchange in step.exchanges[-1:]:
        lines.append(
            f"{exchange.method} {exchange.address} answered {exchange.status or 'nothing'}"
        )
    return "\n".join(lines)
