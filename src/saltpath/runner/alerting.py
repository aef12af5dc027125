"""Tells people of watches (store/history/alerts.py): which routes an alert goes by and when; what
has one cause in one message; reminders, and another route, while nobody has taken an outage.
Whoever calls it sends what is due."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Sequence
from itertools import groupby
from pathlib import Path
from urllib.parse import quote

from msgspec import Struct

from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.watching.alerts import (
    REMIND_AFTER_S,
    TOGETHER_S,
    Kind,
    Told,
    body_of,
    message,
    together,
)
from saltpath.core.watching.hours import Hours, read_hours
from saltpath.store import projects, routes, watches
from saltpath.store.database import NotFound
from saltpath.store.documents import Document
from saltpath.store.history import alerts, troubles
from saltpath.store.history.alerts import Alert, Waiting
from saltpath.store.history.troubles import Trouble
from saltpath.store.routes import StoredRoute, tells_of

SECOND_US = 1_000_000
DAY_US = 86_400 * SECOND_US
log = logging.getLogger("saltpath.alerts")


class Alerting(Struct):
    """`address`: where a browser finds Salt Path, for links."""

    main: sqlite3.Connection
    history: sqlite3.Connection
    folder: Path
    address: str

    def look(self, now: int) -> None:
        """Plan what is new, remind of what lasts, and make messages of what is due by now (UTC
        microseconds)."""
        for alert in alerts.unplanned(self.history):
            alerts.plan(self.history, alert, self._routes(alert, now))
        self._remind(now)
        self._escalate(now)
        waiting = alerts.waiting(self.history)
        for route, of_route in groupby(waiting, key=lambda one: one.route):
            self._tell(route, list(of_route), now)

    # ---- by which routes, and when

    def _routes(self, alert: Alert, now: int) -> list[tuple[int, int]]:
        """The end of trouble is told by whom its begin was."""
        if alert.kind in ("recovery", "reminder"):
            told = alerts.told_by(self.history, alert.trouble)
            return [(route, self._not_before(route, alert, now)) for route in told]
        wanted = self._wanted(alert)
        return [(one.id, self._not_before(one.id, alert, now)) for one in wanted]

    def _wanted(self, alert: Alert) -> list[StoredRoute]:
        try:
            document = watches.watch_by_id(self.main, alert.watch).document
        except NotFound:
            return []
        urgent = alert.kind != "slower" and document.get("urgent", True) is not False
        return [
            one
            for one in routes.routes(self.main, alert.project)
            if tells_of(one.route, document) and (urgent or not one.route.only_urgent)
        ]

    def _not_before(self, route: int, alert: Alert, now: int) -> int:
        """So that what has one cause comes together, it waits a minute where other watches use the
        route, too."""
        try:
            stored = routes.route_by_id(self.main, route)
        except NotFound:
            return now
        others = sum(
            tells_of(stored.route, one.document)
            for one in watches.watches(self.main, alert.project)
        )
        return now + (TOGETHER_S * SECOND_US if others > 1 else 0)

    # ---- while an outage lasts, and nobody has taken it

    def _remind(self, now: int) -> None:
        for alert, began in alerts.first_alerts(self.history):
            lasted = now // SECOND_US - began
            number = sum(lasted >= after for after in REMIND_AFTER_S)
            number += max(lasted - REMIND_AFTER_S[-1], 0) // 86_400
            if number:
                alerts.remind(self.history, alert, number, now)

    def _escalate(self, now: int) -> None:
        for alert, _ in alerts.first_alerts(self.history):
            for route in list(alerts.told_by(self.history, alert.trouble)):
                try:
                    first = routes.route_by_id(self.main, route)
                except NotFound:
                    continue
                then = next(
                    (
                        one
                        for one in routes.routes(self.main, alert.project)
                        if first.route.then and one.route.name == first.route.then
                    ),
                    None,
                )
                late = now - alert.at >= first.route.then_after_s * SECOND_US
                if then is not None and late:
                    alerts.also_by(self.history, alert, [(then.id, now)])

    # ---- messages

    def _tell(self, route: int, of_route: list[Waiting], now: int) -> None:
        if min(one.due for one in of_route) > now:
            return
        try:
            stored = routes.route_by_id(self.main, route)
        except NotFound:
            alerts.drop(self.history, of_route)
            return
        project = projects.project_by_id(self.main, stored.project)
        zone = str(project.document.get("zone") or "UTC")
        opens = opening(stored.route.hours, zone, now)
        if opens > now:
            alerts.put_off(self.history, of_route, opens)
            return
        away = alerts.mutes(self.history, now, "route").get(route)
        if away is not None:
            alerts.put_off(self.history, of_route, away[0])
            return
        muted = alerts.mutes(self.history, now)
        held = [one for one in of_route if one.alert.watch in muted]
        for one in held:
            alerts.put_off(self.history, [one], muted[one.alert.watch][0])
        here = [one for one in of_route if one not in held]
        known = troubles.troubles_by_id(self.history, [one.alert.trouble for one in here])
        news = [one for one in here if one.alert.kind != "reminder"]
        told = {one.alert.trouble for one in news}
        reminders, idle = list[Waiting](), list[Waiting]()
        for one in here:
            if one.alert.kind == "reminder":
                of = known.get(one.alert.trouble)
                live = of is not None and not of.ended and not of.taken_by
                (reminders if live and of is not None and of.id not in told else idle).append(one)
        alerts.drop(self.history, idle)
        for waits in (*_grouped(news, known), *_grouped(reminders, known)):
            if min(one.due for one in waits) <= now:
                about = [known[id] for id in dict.fromkeys(one.alert.trouble for one in waits)]
                self._put(stored, project, zone, about, waits, now)

    def _put(
        self,
        stored: StoredRoute,
        project: Document,
        zone: str,
        about: Sequence[Trouble],
        waits: Sequence[Waiting],
        now: int,
    ) -> None:
        """One message of several outages, as they stand now."""
        names = {one.id: one for one in watches.watches(self.main, stored.project, gone=True)}
        told = [self._told(one, names[one.watch]) for one in about if one.watch in names]
        if not told:
            alerts.drop(self.history, waits)
            return
        kind: Kind = "reminder" if waits[-1].alert.kind == "reminder" else about[0].kind
        if all(one.ended for one in told):
            kind = "recovery"
        made = message(kind, told, zone, now // SECOND_US)
        body = body_of(stored.route.template, kind, made, told, project.name)
        said = (made.subject, made.text, made.html, body)
        thread = min(one.oid for one in about)
        alerts.put(self.history, stored.project, stored.id, kind, thread, said, waits, now)

    def _told(self, one: Trouble, watch: Document) -> Told:
        document = watch.document
        link = f"{self.address}/watches/{quote(watch.oid)}?over=a+day"
        return Told(
            _line(watch.name),
            _line(document.get("environment", "")),
            _line(document.get("supplier", "")),
            one.began,
            one.ended,
            _line(one.cause),
            one.runs,
            link,
            one.kind,
        )


def _grouped(waiting: list[Waiting], known: dict[int, Trouble]) -> list[list[Waiting]]:
    """What belongs into one message: all of an outage, and outages of one cause."""
    by_trouble: dict[int, list[Waiting]] = {}
    for one in waiting:
        if one.alert.trouble in known:
            by_trouble.setdefault(one.alert.trouble, []).append(one)
    ids = list(by_trouble)
    causes = [
        (by_trouble[id][-1].alert.at // SECOND_US, known[id].signature, known[id].host)
        for id in ids
    ]
    return [
        [one for place in group for one in by_trouble[ids[place]]] for group in together(causes)
    ]


def _line(text: object) -> str:
    """One line of a mail or a header, whatever somebody called a thing."""
    return plain.whole_text(" ".join(str(text).split()))


def opening(hours: Sequence[str], zone: str, now: int) -> int:
    """When a route may be used: now, or when its hours begin next."""
    read: list[Hours] = []
    for text in hours:
        try:
            read.append(read_hours(text))
        except Unreadable:
            log.error("the hours %r of a route cannot be read", text)
    if not read:
        return now
    spans = [span for one in read for span in one.spans(zone, now, now + 9 * DAY_US)]
    if not spans:
        return now
    return max(min(begin for begin, _ in spans), now)
