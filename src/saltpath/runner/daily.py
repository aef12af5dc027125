"""What routes send each day: what Today says, on working days at a time; the heads of the sealed
record of watches, so that somebody else holds them."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from datetime import UTC, date, datetime, timedelta
from html import escape
from pathlib import Path
from urllib.parse import quote

from saltpath.core.format.readable import project_zone
from saltpath.core.trends.today import Item, heading, last_working_day
from saltpath.core.watching.alerts import Kind, Message, body_of
from saltpath.store import projects, routes, watches
from saltpath.store.database import connect
from saltpath.store.documents import Document
from saltpath.store.history import alerts
from saltpath.store.routes import StoredRoute

SECOND_US = 1_000_000
HEADS_AT = "00:30"
"""By the project's clocks: the last hour of the day is sealed by then."""
LATE_S = 3 * 3_600
"""What could not be sent by so long after its time is not sent that day."""
MOST = 40
"""Lines of a mail."""


def look(
    main: sqlite3.Connection, history: sqlite3.Connection, folder: Path, address: str, now: int
) -> int:
    """Make what is to be sent by a moment (UTC microseconds); how many messages."""
    made = 0
    for project in projects.projects(main):
        for route in routes.routes(main, project.id):
            if not route.route.daily and not route.route.heads:
                continue
            day, clock = _here(main, project, now)
            if route.route.daily and day.weekday() < 5 and _is_time(route.route.daily, clock):
                made += _once(history, route, "today", day) and _today(
                    main, history, folder, address, project, route, now
                )
            if route.route.heads and _is_time(HEADS_AT, clock):
                made += _once(history, route, "heads", day) and _heads(
                    main, history, address, project, route, now
                )
    return made


def _here(main: sqlite3.Connection, project: Document, now: int) -> tuple[date, int]:
    """The day, and the seconds since it began, by the project's clocks."""
    zone = project_zone(project.document)
    here = datetime.fromtimestamp(now / SECOND_US, UTC).astimezone(zone)
    return here.date(), here.hour * 3_600 + here.minute * 60 + here.second


def _is_time(at: str, clock: int) -> bool:
    hour, _, minute = at.partition(":")
    begin = int(hour) * 3_600 + int(minute) * 60
    return begin <= clock < begin + LATE_S


def _once(history: sqlite3.Connection, route: StoredRoute, what: str, day: date) -> bool:
    return alerts.first_of_day(history, route.id, what, day.isoformat())


def _today(
    main: sqlite3.Connection,
    history: sqlite3.Connection,
    folder: Path,
    address: str,
    project: Document,
    route: StoredRoute,
    now: int,
) -> int:
    from saltpath import today  # it brings numpy

    zone = project_zone(project.document)
    since = last_working_day(now, zone)
    with closing(connect(folder, "evidence")) as evidence:
        items = today.items(today.Stored(main, evidence, history), project, since, now)
    said = f"{datetime.fromtimestamp(since / SECOND_US, UTC).astimezone(zone):%A %H:%M}"
    title = f"{project.name}: {heading(items, said)}"
    message = told(title, items[:MOST], f"{address}/today", len(items) - MOST)
    _put(history, project, route, "today", message, now)
    return 1


def told(title: str, items: list[Item], link: str, more: int) -> Message:
    """The mail of a day."""
    lines, rows = [title, ""], [f"<p><strong>{escape(title)}</strong></p>"]
    for one in items:
        others = f" (and {len(one.others)} more of this cause)" if one.others else ""
        taken = f" {one.taken_by} looks after it." if one.taken_by else ""
        lines += [f"{_kind(one)}: {one.name}{others}", f"  {one.sentence}.{taken}", ""]
        rows.append(
            f"<p>{escape(_kind(one))}: <strong>{escape(one.name)}</strong>{escape(others)}<br>"
            f"{escape(one.sentence)}.{escape(taken)}</p>"
        )
    if not items:
        lines.append("Nothing needs you.")
        rows.append("<p>Nothing needs you.</p>")
    if more > 0:
        lines.append(f"And {more} more.")
        rows.append(f"<p>And {more} more.</p>")
    lines.append(link)
    rows.append(f'<p><a href="{escape(link, quote=True)}">Today</a></p>')
    return Message(" ".join(title.split()), "\n".join(lines) + "\n", "".join(rows))


def _kind(one: Item) -> str:
    return one.kind[0].upper() + one.kind[1:]


def _heads(
    main: sqlite3.Connection,
    history: sqlite3.Connection,
    address: str,
    project: Document,
    route: StoredRoute,
    now: int,
) -> int:
    from saltpath.store.history import heads  # it brings numpy

    lines, rows = list[str](), list[str]()
    for stored in watches.watches(main, project.id):
        last = heads.newest(history, stored.id)
        if last is None:
            continue
        end = datetime.fromtimestamp(last.hour * 3_600, UTC) + timedelta(hours=1)
        said = f"up to {end:%Y-%m-%d %H:%M} UTC"
        lines += [f"{stored.name}, {said}", f"  {last.head.hex()}", ""]
        link = f"{address}/watches/{quote(stored.oid)}"
        rows.append(
            f'<p><a href="{escape(link, quote=True)}">{escape(stored.name)}</a>, {said}<br>'
            f"<code>{last.head.hex()}</code></p>"
        )
    if not lines:
        return 0
    title = f"{project.name}: heads of the sealed record of watches"
    about = (
        "Keep this. What a report of these watches says of the time before must have stood so when "
        "this was sent: give a head to the file that checks the report."
    )
    text = "\n".join([title, "", about, "", *lines])
    html = f"<p><strong>{escape(title)}</strong></p><p>{about}</p>{''.join(rows)}"
    _put(history, project, route, "heads", Message(" ".join(title.split()), text, html), now)
    return 1


def _put(
    history: sqlite3.Connection,
    project: Document,
    route: StoredRoute,
    kind: Kind,
    made: Message,
    now: int,
) -> None:
    body = body_of(route.route.template, kind, made, [], project.name)
    said = (made.subject, made.text, made.html, body)
    alerts.put(history, project.id, route.id, kind, "", said, [], now)
