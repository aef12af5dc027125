"""JUnit XML: a suite per case, a test case per row and step. Blocked is `error`, unchecked a
`failure` of that type, skipped `skipped`; advice that did not hold is said in the suite's
`system-out`. Times in seconds.

There is no one standard. What is written here is what each of the common schemas allows: no
attributes at the top, a suite's `properties` first and its `system-out` and `system-err` last,
`package`, `id` and `hostname` there, times with three digits. `package` is the case's file
(tests/formats/junit.xsd).
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from datetime import UTC, datetime

from saltpath.core.running.events import StepFinished
from saltpath.core.values.measures import show_in
from saltpath.formats.results import CaseResult, Results

_FORBIDDEN = re.compile(r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def write(results: Results) -> bytes:
    """The whole document, UTF-8."""
    root = ET.Element("testsuites")
    for number, case in enumerate(results.cases):
        root.append(_suite(case, number, results.started))
    ET.indent(root)
    return bytes(ET.tostring(root, encoding="utf-8", xml_declaration=True)) + b"\n"


def _seconds(us: int) -> str:
    return f"{us / 1e6:.3f}"


def _clean(text: str) -> str:
    """Text without the characters that XML 1.0 cannot hold."""
    return _FORBIDDEN.sub("\ufffd", text)


def _suite(result: CaseResult, number: int, started: int) -> ET.Element:
    case, file = result.planned.case, result.planned.file
    moment = (
        datetime.fromtimestamp(started / 1e6, UTC)
        .isoformat(timespec="seconds")
        .replace("+00:00", "")
    )
    suite = ET.Element(
        "testsuite",
        name=_clean(case.name),
        package=_clean(file or ""),
        id=str(number),
        hostname="localhost",
        time=_seconds(result.us),
        timestamp=moment,
    )
    ET.SubElement(suite, "properties")  # none: a reader in use takes no name twice in a document
    steps = [step for step in result.steps if _is_test(step)]
    tests = [_test(step, case.name) for step in steps]
    if not tests:
        test = ET.Element(
            "testcase", name="the whole case", classname=_clean(case.name), time=_seconds(0)
        )
        ET.SubElement(test, "skipped", message=_clean(result.why.sentence if result.why else ""))
        tests = [test]
    suite.set("tests", str(len(tests)))
    for name, tag in (("failures", "failure"), ("errors", "error"), ("skipped", "skipped")):
        suite.set(name, str(sum(test.find(tag) is not None for test in tests)))
    suite.extend(tests)
    advice = [f"{_named(step)}: advice: {line}" for step in steps for line in _advice(step)]
    ET.SubElement(suite, "system-out").text = _clean("\n".join(advice)) or None
    ET.SubElement(suite, "system-err")
    return suite


def _is_test(step: StepFinished) -> bool:
    """Requests and look-ups, and whatever else was blocked; what holds other steps is told by
    these, unless it was blocked before them."""
    if step.kind in ("shared", "for each"):
        return step.verdict == "blocked" and (
            step.why is None or not step.why.code.startswith("inside")
        )
    return step.kind in ("request", "look up") or step.verdict == "blocked"


def _test(step: StepFinished, case: str) -> ET.Element:
    test = ET.Element(
        "testcase", name=_clean(_named(step)), classname=_clean(case), time=_seconds(step.us)
    )
    reason = _clean(step.why.sentence if step.why else "")
    if step.verdict == "failed":
        failure = ET.SubElement(test, "failure", message=reason, type="failed")
        failure.text = _clean(_details(step))
    elif step.verdict == "blocked":
        ET.SubElement(test, "error", message=reason, type="blocked").text = _clean(_details(step))
    elif step.verdict == "skipped":
        ET.SubElement(test, "skipped", message=reason)
    elif step.verdict == "unchecked" and step.counts:
        ET.SubElement(test, "failure", message="nothing was checked in this step", type="unchecked")
    return test


def _named(step: StepFinished) -> str:
    name = step.name if step.part == "steps" else f"{step.name} ({step.part})"
    item = step.inner.rpartition("/")[2].rpartition(".")[0]
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
