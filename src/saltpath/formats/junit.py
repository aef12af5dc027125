"""JUnit XML: a suite per case, a test case per row and step. Blocked is `error`, unchecked a `failure` of that type,
skipped `skipped`, advice `system-out` of a passed test. Times in seconds."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from datetime import UTC, datetime

from saltpath.core import plain
from saltpath.core.events import StepFinished
from saltpath.formats.results import CaseResult, Results

_FORBIDDEN = re.compile(r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def write(results: Results) -> bytes:
    """The whole document, UTF-8."""
    root = ET.Element("testsuites", name="Salt Path", time=_seconds(results.us))
    for case in results.cases:
        root.append(_suite(case, results.started))
    for name in ("tests", "failures", "errors", "skipped"):
        root.set(name, str(sum(int(suite.get(name, "0")) for suite in root)))
    ET.indent(root)
    return bytes(ET.tostring(root, encoding="utf-8", xml_declaration=True)) + b"\n"


def _seconds(us: int) -> str:
    return f"{us / 1e6:.6f}"


def _clean(text: str) -> str:
    """Text without the characters that XML 1.0 cannot hold."""
    return _FORBIDDEN.sub("\ufffd", text)


def _suite(result: CaseResult, started: int) -> ET.Element:
    case = result.planned.case
    moment = datetime.fromtimestamp(started / 1e6, UTC).isoformat(timespec="seconds").replace("+00:00", "")
    suite = ET.Element("testsuite", name=_clean(case.name), time=_seconds(result.us), timestamp=moment)
    if result.planned.file:
        suite.set("file", _clean(result.planned.file))
    tests = [_test(step, case.name) for step in result.steps if _is_test(step)]
    if not tests:
        test = ET.Element("testcase", name="the whole case", classname=_clean(case.name), time="0")
        ET.SubElement(test, "skipped", message=_clean(result.why.sentence if result.why else ""))
        tests = [test]
    suite.set("tests", str(len(tests)))
    for name, tag in (("failures", "failure"), ("errors", "error"), ("skipped", "skipped")):
        suite.set(name, str(sum(test.find(tag) is not None for test in tests)))
    suite.extend(tests)
    return suite


def _is_test(step: StepFinished) -> bool:
    """Requests and look-ups, and whatever else was blocked; what holds other steps is told by these, unless it was blocked before them."""
    if step.kind in ("shared", "for each"):
        return step.verdict == "blocked" and (step.why is None or not step.why.code.startswith("inside"))
    return step.kind in ("request", "look up") or step.verdict == "blocked"


def _test(step: StepFinished, case: str) -> ET.Element:
    name = step.name if step.part == "steps" else f"{step.name} ({step.part})"
    item = step.inner.rpartition("/")[2].rpartition(".")[0]
    if item:
        name = f"{name}, item {item}"
    test = ET.Element(
        "testcase",
        name=_clean(f"row {step.row}: {name}" if step.row else name),
        classname=_clean(case),
        time=_seconds(step.us),
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
    advice = [o for o in step.outcomes if o.advice and o.verdict == "failed"]
    if advice:
        lines = [f"advice: {o.check}: {o.why.sentence if o.why else ''}" for o in advice]
        ET.SubElement(test, "system-out").text = _clean("\n".join(lines))
    return test


def _details(step: StepFinished) -> str:
    """One paragraph per check that does not hold: the check, expected, actual, where."""
    lines: list[str] = []
    for outcome in step.outcomes:
        if outcome.verdict in ("failed", "blocked") and not outcome.advice:
            lines.append(f"{outcome.check}: {outcome.why.sentence if outcome.why else ''}")
            lines.append(f"  expected: {plain.show(outcome.expected, 500)}")
            lines.append(f"  actual: {plain.show(outcome.actual, 500)}")
            if outcome.where:
                lines.append(f"  where: {', '.join(outcome.where)}")
    for exchange in step.exchanges[-1:]:
        lines.append(f"{exchange.method} {exchange.address} answered {exchange.status or 'nothing'}")
    return "\n".join(lines)
