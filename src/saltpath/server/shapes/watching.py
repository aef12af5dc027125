"""Watches, and what became of them."""

from __future__ import annotations

from typing import Any

from saltpath.core.watching.flags import FATES
from saltpath.server.shapes.parts import (
    FLAG,
    MAYBE_NUMBER,
    MAYBE_TEXT,
    NUMBER,
    TEXT,
    TEXTS,
    WHOLE,
    ref,
    several,
    shape,
)
from saltpath.server.watch_views import STATES

FATE = {"type": "string", "enum": list(FATES)}
WATCH: Any = {
    "id": TEXT,
    "name": TEXT,
    "of": {"type": "string", "enum": ["case", "suite", "tag"]},
    "target": TEXT,
    "targetName": TEXT,
    "sentence": TEXT,
    "when": TEXT,
    "environment": TEXT,
    "supplier": TEXT,
    "tags": TEXTS,
    "limitMs": MAYBE_NUMBER,
    "problem": TEXT,
    "noRoutes": TEXTS,
    "nextAt": MAYBE_TEXT,
    "standing": ref("WatchStanding"),
}
SHAPES: dict[str, Any] = {
    "Watch": shape(**WATCH),
    "WatchInFull": shape(
        **WATCH,
        version=WHOLE,
        document={"type": "object"},
        zone=TEXT,
        about=TEXT,
        next=TEXTS,
        muted=ref("Muted"),
    ),
    "WatchStanding": shape(
        state={"type": "string", "enum": list(STATES)},
        since=MAYBE_TEXT,
        runs=WHOLE,
        fate={"type": ["string", "null"], "enum": [*FATES, None]},
        due=MAYBE_TEXT,
        ms=NUMBER,
        why=TEXT,
        maintenance=FLAG,
    ),
    "WatchUnderstood": shape(problem=TEXT, sentence=TEXT, when=TEXT, next=TEXTS),
    "WatchRange": shape(
        **{"from": TEXT}, to=TEXT, step=WHOLE, first=TEXT, items=several("WatchOver")
    ),
    "WatchOver": shape(
        id=TEXT,
        availability=MAYBE_NUMBER,
        **dict.fromkeys(
            (
                "runs",
                "bad",
                "failed",
                "blocked",
                "slow",
                "unchecked",
                "interrupted",
                "skipped",
                "missed",
                "goodSeconds",
                "badSeconds",
                "leftSeconds",
                "latestMs",
            ),
            WHOLE,
        ),
        **dict.fromkeys(("medianMs", "p95Ms", "lowMs", "highMs"), MAYBE_NUMBER),
        line=TEXT,
    ),
    "Allowance": shape(
        id=TEXT,
        available=NUMBER,
        **{"from": TEXT},
        to=TEXT,
        days=WHOLE,
        allowedSeconds=WHOLE,
        usedSeconds=WHOLE,
        goodSeconds=WHOLE,
    ),
    "WatchRun": shape(
        due=TEXT,
        turn=WHOLE,
        fate=FATE,
        ms=MAYBE_NUMBER,
        missed=WHOLE,
        lateMs=WHOLE,
        ownSide=FLAG,
        maintenance=FLAG,
        caughtUp=FLAG,
        evidence=FLAG,
    ),
    "WatchRunSeen": shape(due=TEXT, attempts=several("WatchAttempt")),
    "WatchAttempt": shape(
        cases={"type": "array", "items": shape(id=TEXT, name=TEXT)},
        steps={"type": "array", "items": shape(position=WHOLE, step=ref("StepEvidence"))},
    ),
    "Route": shape(
        **dict.fromkeys(("id", "name", "server", "user", "sender", "address", "template"), TEXT),
        **dict.fromkeys(("then", "thenAfter"), TEXT),
        version=WHOLE,
        kind={"type": "string", "enum": ["mail", "webhook"]},
        to=TEXTS,
        security={"type": "string", "enum": ["starttls", "tls", "none"]},
        hours=TEXTS,
        hasSecret=FLAG,
        toldOf=TEXTS,
    ),
    "AlertMessage": shape(
        **dict.fromkeys(("id", "route", "subject", "text", "at"), TEXT),
        kind={"type": "string", "enum": ["outage", "recovery", "reminder", "test"]},
        state={"type": "string", "enum": ["waiting", "delivered", "given up"]},
        due=MAYBE_TEXT,
        tries={"type": "array", "items": shape(at=TEXT, ms=NUMBER, said=TEXT)},
    ),
    "Muted": shape(until=MAYBE_TEXT, by=TEXT),
    "Outage": shape(
        id=TEXT,
        watch=TEXT,
        watchName=TEXT,
        began=TEXT,
        ended=MAYBE_TEXT,
        seconds=WHOLE,
        runs=WHOLE,
        cause=TEXT,
        signature=TEXT,
        note=TEXT,
        notedBy=TEXT,
        takenBy=TEXT,
    ),
}
