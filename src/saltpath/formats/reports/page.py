"""A run as one HTML file that needs nothing else: it works from a disk and without a network, and
asks for nothing. What came from a server can do nothing in it: there is no script, its policy lets
none run, and every text is escaped. What did not pass is shown whole, as far as there is room; the
rest is shortened, so that hundreds of cases make a file that can be mailed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from html import escape
from importlib.resources import files

from msgspec import Struct

from saltpath.core.answers.exchange import Exchange
from saltpath.core.checks.outcome import Outcome
from saltpath.core.running.events import StepFinished
from saltpath.core.running.run_sentences import first_sentence, unchecked_sentence
from saltpath.core.values.measures import counted, show_duration, show_in, show_size
from saltpath.core.values.plain import cut, show
from saltpath.formats.reports.report import Report, ReportedCase, ReportedRow, item_of
from saltpath.formats.reports.summary import ended, facts, known_told, one_line
from saltpath.formats.terminal import printable

POLICY = "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'"
ROOM = 2_400_000
"""Octets for what steps sent, received and checked; beyond, only verdicts and times are told."""
FOR_BAD = 1_600_000
"""Of these, what steps that did not pass may take for bodies beyond `SHORT`."""
LARGEST_BODY = 200_000
SHORT = 2_000
"""Characters of a body of a step that did not pass, where there is no more room."""
SHORTER = 200
"""The same of one that passed."""
MOST_ROWS_SHOWN = {"failed": 200, "blocked": 200, "unchecked": 50, "passed": 50, "skipped": 20}
"""Rows of a case that are shown, by verdict; the others are counted."""
MOST_CHECKS = 100
MARKS = {
    "passed": '<circle cx="8" cy="8" r="7"/><path d="M4.5 8.2 7 10.7 11.6 5.6"/>',
    "failed": '<rect x="1.5" y="1.5" width="13" height="13" rx="2"/>'
    '<path d="M5.2 5.2l5.6 5.6M10.8 5.2l-5.6 5.6"/>',
    "blocked": '<path class="shape" d="M8 1.5 15 14.5H1z"/><path d="M8 6.2v4M8 12v.6"/>',
    "unchecked": '<circle class="ring" cx="8" cy="8" r="6"/>',
    "skipped": '<rect x="2" y="7" width="12" height="2.4" rx="1"/>',
}
_BAD = ("failed", "blocked", "unchecked")


class _Room(Struct):
    """How much may still be written."""

    all: int = ROOM
    bad: int = FOR_BAD

    def take(self, text: str) -> str:
        self.all -= len(text)
        return text


def write(report: Report) -> Iterator[bytes]:
    """The whole file, in pieces."""
    room = _Room()
    yield _head(report).encode()
    yield _banner(report).encode()
    yield b'<main><div class="filters">' + _filters(report).encode() + b"</div>"
    for case in report.cases():
        yield from (piece.encode() for piece in _case(case, report, room))
    yield b"</main></body></html>\n"


def text(value: str) -> str:
    """Text that is nothing else in HTML, with nothing in it that turns writing round."""
    return escape(printable(value))


def _head(report: Report) -> str:
    style = files(__package__).joinpath("page.css").read_text(encoding="utf-8")
    title = f"{report.verdict}: {report.title}"
    return (
        '<!doctype html><html lang="en"><head><meta charset="utf-8">'
        f'<meta http-equiv="Content-Security-Policy" content="{escape(POLICY)}">'
        '<meta name="referrer" content="no-referrer">'
        '<meta name="viewport" content="width=device-width, initial-scale=1">'
        f"<title>{text(title)}</title><style>{style}</style></head><body>"
    )


def _banner(report: Report) -> str:
    started = datetime.fromtimestamp(report.started / 1e6, UTC)
    where = f"{text(report.project)} ▸ " if report.project else ""
    news = [cause for cause in report.causes if not cause.known]
    known = [cause for cause in report.causes if cause.known]
    lines = [f"<li>{text(ended(cause.told))}</li>" for cause in news]
    lines += [f'<li class="muted">Known: {text(ended(known_told(one)))}</li>' for one in known]
    more = " ".join(
        sentence
        for sentence in (
            unchecked_sentence(report.case_counts),
            f"Stopped by {report.stopped_by}." if report.stopped_by else "",
        )
        if sentence
    )
    note = f"<p>{text(report.note)}</p>" if report.note else ""
    causes = f"<ul>{''.join(lines)}</ul>" if lines else ""
    page = (
        f'<p class="small"><a href="{escape(report.address)}" rel="noreferrer">'
        f"{text(report.address)}</a></p>"
        if report.address.startswith(("http://", "https://"))
        else ""
    )
    return (
        f'<header><p class="muted">{where}{text(facts(report))} · '
        f"{started.isoformat(sep=' ', timespec='seconds').replace('+00:00', ' UTC')}</p>"
        f"<h1>{text(report.title)}</h1>{note}"
        f'<div class="banner {report.verdict}"><p>{_mark(report.verdict)} <strong>'
        f"{text(first_sentence(report.verdict, report.case_counts, report.rows))}</strong> "
        f"{text(more)}</p>{causes}</div>{page}</header>"
    )


def _mark(verdict: str) -> str:
    return (
        f'<svg class="mark {verdict}" viewBox="0 0 16 16" role="img" aria-label="{verdict}">'
        f"{MARKS[verdict]}</svg>"
    )


def _filters(report: Report) -> str:
    """Buttons that need no script: the page's sheet hides what is not chosen."""
    total = sum(report.case_counts.values())
    choices = [
        '<label><input type="radio" name="shown" id="show-all" checked> all '
        f"{counted(total, 'case')}</label>"
    ]
    for verdict in ("failed", "blocked", "unchecked", "passed", "skipped"):
        number = report.case_counts.get(verdict, 0)
        if number:
            choices.append(
                f'<label><input type="radio" name="shown" id="show-{verdict}"> '
                f"{_mark(verdict)} {number} {verdict}</label>"
            )
    return "".join(choices)


def _case(case: ReportedCase, report: Report, room: _Room) -> Iterator[str]:
    opened = " open" if case.verdict in ("failed", "blocked") else ""
    why = f'<span class="why">{text(case.why.sentence)}</span>' if case.why else ""
    suite = f'<span class="muted">{text(case.suite)}</span>' if case.suite else ""
    yield (
        f'<details class="case {case.verdict}"{opened}><summary>{_mark(case.verdict)} '
        f'<span class="name">{text(case.called)}</span> {suite} {why}'
        f'<span class="time">{show_duration(case.us)}</span></summary>'
    )
    yield from _steps([step for step in case.around if step.part == "once"], case, report, room)
    left_out = dict.fromkeys(MOST_ROWS_SHOWN, 0)
    shown = dict.fromkeys(MOST_ROWS_SHOWN, 0)
    for row in case.rows():
        if not case.has_rows:
            yield from _steps(row.steps, case, report, room)
        elif shown[row.verdict] < MOST_ROWS_SHOWN[row.verdict]:
            shown[row.verdict] += 1
            yield from _row(row, case, report, room)
        else:
            left_out[row.verdict] += 1
    more = [f"{number} more {verdict}" for verdict, number in left_out.items() if number]
    if more:
        yield f'<p class="muted">Of its rows, {", ".join(more)}.</p>'
    yield from _steps([step for step in case.around if step.part != "once"], case, report, room)
    yield "</details>"


def _row(row: ReportedRow, case: ReportedCase, report: Report, room: _Room) -> Iterator[str]:
    data = ", ".join(f"{name} {show(value, 40)}" for name, value in row.data.items())
    why = f'<span class="why">{text(row.why.sentence)}</span>' if row.why else ""
    yield (
        f'<details class="row"><summary>{_mark(row.verdict)} row {row.row} '
        f'<span class="muted">{text(cut(one_line(data), 200))}</span> {why}'
        f'<span class="time">{show_duration(row.us)}</span></summary>'
    )
    yield from _steps(row.steps, case, report, room)
    yield "</details>"


def _steps(
    steps: Sequence[StepFinished], case: ReportedCase, report: Report, room: _Room
) -> Iterator[str]:
    """Steps in a list, those inside others behind them, further in."""
    for step in _outer_first(steps):
        known = report.known_as(case.position, step)
        yield room.take(_step(step, known, room))


def _outer_first(steps: Sequence[StepFinished]) -> Iterable[StepFinished]:
    """Each step before those inside it, which ended before it did."""
    order = {(step.part, step.step): number for number, step in enumerate(steps)}

    def place(step: StepFinished) -> tuple[int, tuple[tuple[int, int], ...]]:
        pieces = step.inner.split("/") if step.inner else ()
        numbers = tuple(
            (int(item), int(at or 0)) for item, _, at in (piece.partition(".") for piece in pieces)
        )
        return order[step.part, step.step], numbers

    return sorted(steps, key=place)


def _step(step: StepFinished, known: str, room: _Room) -> str:
    depth = step.inner.count("/") + 1 if step.inner else 0
    item = item_of(step)
    what = f"item {item}: " if item else ""
    part = f' <span class="muted">{step.part}</span>' if step.part != "steps" else ""
    why = step.why.sentence if step.why else ""
    if step.verdict == "unchecked" and step.counts and not why:
        why = "nothing was checked"
    told = f'<p class="why">{text(why)}</p>' if why else ""
    if known:
        told += f'<p class="muted">Known: {text(known)}</p>'
    status = f"{step.status} · " if step.status else ""
    line = (
        f'<div class="step in{min(depth, 4)}"><p>{_mark(step.verdict)} {text(what + step.name)}'
        f'{part}<span class="time">{status}{show_duration(step.us)}</span></p>{told}'
    )
    if room.all > 0 and step.verdict != "skipped":
        line += _checks(step.outcomes) if step.verdict in _BAD else ""
        line += "".join(_exchange(exchange, step, room) for exchange in step.exchanges)
    return line + "</div>"


def _checks(outcomes: Sequence[Outcome]) -> str:
    """The checks that did not hold, with what was expected and what was there."""
    bad = [one for one in outcomes if one.verdict in ("failed", "blocked")]
    lines = []
    for one in bad[:MOST_CHECKS]:
        advice = ' <span class="muted">advice</span>' if one.advice else ""
        where = f" at {text(', '.join(one.where[:3]))}" if one.where else ""
        lines.append(
            f"<tr><td>{_mark(one.verdict)} {text(cut(one.check, 500))}{advice}</td>"
            f"<td>{text(show_in(one.expected, one.unit, 500))}</td>"
            f"<td>{text(show_in(one.actual, one.unit, 500))}{where}</td></tr>"
        )
    if not lines:
        return ""
    more = len(bad) - MOST_CHECKS
    if more > 0:
        lines.append(f"<tr><td>{counted(more, 'check')} more did not hold</td></tr>")
    return (
        "<table><thead><tr><th>check</th><th>expected</th><th>was</th></tr></thead>"
        f"<tbody>{''.join(lines)}</tbody></table>"
    )


def _exchange(exchange: Exchange, step: StepFinished, room: _Room) -> str:
    bad = step.verdict in _BAD
    status = f"answered {exchange.status}" if exchange.status else "no answer"
    size = f", {show_size(len(exchange.body))}" if exchange.status else ""
    line = f"{exchange.method} {cut(exchange.address, 2_000)} · {status}{size}"
    sent, received = _body(exchange.sent_body, bad, room), _body(exchange.body, bad, room)
    if bad:
        sent = _head_text(exchange.sent_head) + sent
        received = _head_text(exchange.received_head) + received
    blocks = "".join(f"<pre>{block}</pre>" for block in (sent, received) if block.strip())
    if not bad:
        return f'<details class="exchange"><summary>{text(line)}</summary>{blocks}</details>'
    return f'<div class="exchange"><p>{text(line)}</p>{blocks}</div>'


def _head_text(head: bytes) -> str:
    try:
        lines = head.decode()
    except UnicodeDecodeError:
        lines = head.decode("latin-1")
    return text(cut(lines.replace("\r\n", "\n"), 4_000))


def _body(body: bytes, bad: bool, room: _Room) -> str:
    """A body as text, whole or shortened, and then it says so."""
    most = SHORT if bad else SHORTER
    if bad and len(body) <= min(LARGEST_BODY, room.bad):
        most = LARGEST_BODY
        room.bad -= max(len(body) - SHORT, 0)
    shown = body[: 4 * most].decode("utf-8", "backslashreplace")
    if len(shown) <= most and len(body) <= 4 * most:
        return text(shown.replace("\r\n", "\n"))
    return f"{text(shown[:most])}…\n<i>shortened; {show_size(len(body))} in all</i>"
