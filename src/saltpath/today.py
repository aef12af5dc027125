"""What is worth a look in a project today, put together of all that is recorded: for the page, and
for the daily mail."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from datetime import date, datetime

from msgspec import Struct

from saltpath.core.format.readable import project_zone
from saltpath.core.running.cause_sentences import sentence_of
from saltpath.core.running.causes import Failure
from saltpath.core.statistics.shifts import by_how_much, rounded
from saltpath.core.trends.today import Item, Kind, after_bad, worst_first
from saltpath.core.values.measures import show_duration
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Why
from saltpath.store import causes, deliveries, known, last_verdicts, runs, shared_uses, watches
from saltpath.store.cases import SHARED, CaseHead, heads
from saltpath.store.documents import Document
from saltpath.store.history import alerts, troubles
from saltpath.store.known import Known
from saltpath.store.last_verdicts import LastVerdicts
from saltpath.store.trends import entries, looks, series, trusts

SECOND_US = 1_000_000
HOUR_S = 3_600
LINE = 10
HICCUP = 2
"""So many bad runs between good ones are one."""
MOST_SAID = 20
BAD = ("failed", "blocked")


class Stored(Struct, frozen=True):
    """Where it is read from, in this thread."""

    main: sqlite3.Connection
    evidence: sqlite3.Connection
    history: sqlite3.Connection


class Bad(Struct, frozen=True):
    """How a case that went wrong last did."""

    failures: tuple[Failure, ...]
    why: str
    run: str


def items(stored: Stored, project: Document, since: int, now: int) -> list[Item]:
    """Worst first, since a moment (UTC microseconds), one line a cause."""
    found = [
        *_of_cases(stored, project, since, now),
        *_of_watches(stored, project, since, now),
        *_slower(stored, project, since),
        *_not_arrived(stored, project, since),
    ]
    return worst_first(found)


# ---- cases


def _of_cases(stored: Stored, project: Document, since: int, now: int) -> Iterator[Item]:
    last = last_verdicts.of_project(stored.main, project.id)
    cases = [one for one in heads(stored.main, project.id) if one.id in last]
    held = known.known(stored.main, project.id)
    day = datetime.fromtimestamp(now / SECOND_US, project_zone(project.document)).date()
    unreliable = _unreliable(stored, project, since)
    bad = _went_wrong(stored, [(one.id, last[one.id]) for one in cases])
    for case in cases:
        if case.id in unreliable:
            said, shown = unreliable[case.id]
            run = bad[case.id].run if case.id in bad else ""
            yield _item("unreliable", case, last[case.id], said, shown, run=run)
        elif case.id in bad:
            yield _broken(case, last[case.id], bad[case.id], held, day, since)
        else:
            item = _good(case, last[case.id], since)
            if item is not None:
                yield item


def _went_wrong(stored: Stored, ended: list[tuple[int, LastVerdicts]]) -> dict[int, Bad]:
    """By the number of the case."""
    by_run: dict[int, list[int]] = {}
    for case, last in ended:
        if last.verdict in BAD:
            by_run.setdefault(last.run, []).append(case)
    found: dict[int, Bad] = {}
    for run, some in by_run.items():
        failures = causes.failures_of_cases(stored.evidence, run)
        oid = runs.run_by_id(stored.main, run).oid
        for case, position, why in runs.ended_badly(stored.main, run, some):
            said = Why(why["code"], why["params"]).sentence if why else ""
            found.setdefault(case, Bad(tuple(failures.get(position, ())), said, oid))
    return found


def _broken(
    case: CaseHead,
    last: LastVerdicts,
    bad: Bad,
    held: dict[str, Known],
    day: date,
    since: int,
) -> Item:
    kind: Kind = "broke" if last.since >= since else "still broken"
    said = bad.why or (sentence_of(bad.failures[0]) if bad.failures else "")
    marked = [held.get(one.signature) for one in bad.failures]
    if marked and all(one is not None for one in marked):
        over = [one for one in marked if one and date.fromisoformat(one.said.until) < day]
        about = (over or [one for one in marked if one])[0].said
        kind = "known over" if over else "known"
        until = date.fromisoformat(about.until)
        note = f": {about.note}" if about.note else ""
        was = "it was known" if over else "known"
        said = f"{said}; {was} until {until.day} {until:%B}{note}"
    return _item(
        kind,
        case,
        last,
        said,
        last.since,
        signature=bad.failures[0].signature if bad.failures else "",
        run=bad.run,
    )


def _good(case: CaseHead, last: LastVerdicts, since: int) -> Item | None:
    """Of a case that did not go wrong last, what is worth a word."""
    if last.verdict == "unchecked":
        return _item("unchecked", case, last, "It ran, and nothing was checked", last.since)
    if last.verdict != "passed" or last.since < since:
        return None
    number = after_bad(last.verdicts)
    if not number:
        return None
    briefly = number <= HICCUP and len(last.verdicts) > last.verdicts.index("passed") + number + 1
    if briefly and last.verdicts[1:].count("passed") >= HICCUP:
        times = "once" if number == 1 else "twice"
        said = f"It went wrong {times}, and was good before and after: a hiccup"
        return _item("hiccup", case, last, said, last.since)
    return _item("recovered", case, last, f"It passes again, after {number} bad runs", last.since)


def _item(
    kind: Kind,
    case: CaseHead,
    last: LastVerdicts,
    said: str,
    at: int,
    *,
    signature: str = "",
    run: str = "",
) -> Item:
    verdict: Verdict = last.verdict  # type: ignore[assignment]
    line = tuple(reversed(last.verdicts[:LINE]))
    return Item(kind, "case", case.oid, case.name, said, at, verdict, signature, run, line)


def _unreliable(stored: Stored, project: Document, since: int) -> dict[int, tuple[str, int]]:
    """By the number of the case what is said of it, and when it last showed: of those that are
    unreliable, and have shown it since."""
    said: dict[int, tuple[str, int]] = {}
    for environment in entries.environments(stored.history, project.id):
        known = trusts.found(stored.history, project.id, environment)
        for one in known[1] if known is not None else ():
            found = one.found
            shown = one.bad_runs[-1].at * SECOND_US if one.bad_runs else 0
            if found.judgement == "unreliable" and shown >= since:
                said[one.case] = (
                    f"Failed {found.bad} times in {found.runs} runs and passed again with nothing "
                    f"changed: between {100 * found.low:.0f} and {100 * found.high:.0f} in 100",
                    shown,
                )
    return said


# ---- watches


def _of_watches(stored: Stored, project: Document, since: int, now: int) -> Iterator[Item]:
    named = {one.id: one for one in watches.watches(stored.main, project.id)}
    begin, end = since // SECOND_US, now // SECOND_US + 1
    found = troubles.troubles(stored.history, project.id, begin, end)
    for one in found:
        watch = named.get(one.watch)
        if watch is None:
            continue
        ended, is_new = one.ended > 0, one.began >= begin
        verdict: Verdict = "passed" if ended else "failed"
        if one.kind == "outage":
            kind: Kind = "outage over" if ended else "outage" if is_new else "outage lasts"
        elif one.kind == "slower":
            if ended or not is_new:
                continue
            kind, verdict = "slower", "passed"
        else:
            if ended:
                continue
            kind = "too fast"
        yield Item(
            kind,
            "watch",
            watch.oid,
            watch.name,
            one.cause,
            (one.ended if ended else one.began) * SECOND_US,
            verdict,
            one.signature if one.kind == "outage" else "",
            taken_by=one.taken_by,
            trouble=one.oid,
            number=one.runs,
        )


# ---- what became slower


def _slower(stored: Stored, project: Document, since: int) -> Iterator[Item]:
    """That was found since, each cause once."""
    from saltpath.core.trends.together import Shifted, told_once

    every = series.of_project(stored.history, project.id)
    cases = {one.id for one in heads(stored.main, project.id)}
    shared = {one.id for one in heads(stored.main, project.id, SHARED)}
    for environment in entries.environments(stored.history, project.id):
        shifted = [
            Shifted(
                id,
                one.kind,
                one.owner,
                one.of if one.kind == "operation" else one.operation,
                moved.at // HOUR_S,
                moved,
            )
            for id, found in looks.found(stored.history, project.id, environment).items()
            if (one := every.get(id)) is not None
            and (not one.owner or one.owner in cases or one.owner in shared)
            for moved in found
            if moved.found * SECOND_US >= since and moved.ratio > 1
        ]
        uses = shared_uses.of_project(stored.main, project.id) if shifted else {}
        for told in told_once(shifted, uses):
            lead, of = told.lead.moved, every[told.lead.series]
            took, take = (show_duration(rounded(us)) for us in (lead.before, lead.after))
            yield Item(
                "slower",
                "series",
                of.oid,
                of.name,
                f"Slower {by_how_much(lead.ratio)}: it took {took}, and takes {take}",
                lead.at * SECOND_US,
                "passed",
            )


# ---- what did not arrive


def _not_arrived(stored: Stored, project: Document, since: int) -> Iterator[Item]:
    for one in deliveries.not_arrived(stored.main, project.id, since, MOST_SAID):
        given_up = (
            "it is tried no more" if one.delivery.state == "given up" else "it is tried again"
        )
        last = one.tries[-1]
        yield Item(
            "not delivered",
            "delivery",
            one.delivery.oid,
            f"The result of run {one.run_number}",
            f"{last.said or f'It answered {last.status}'}; {given_up}",
            last.at,
            "blocked",
        )
    for message, tries in alerts.not_arrived(stored.history, project.id, since, MOST_SAID):
        yield Item(
            "not told",
            "message",
            message.oid,
            message.subject,
            f"Nobody was told: {tries[-1].said}",
            tries[-1].at,
            "blocked",
        )
