"""A project, its files, environments, values and suites; problems, and what is kept."""

from __future__ import annotations

from typing import Any

from saltpath.server.shapes.parts import (
    FLAG,
    NUMBER,
    ROLE,
    RULES,
    TEXT,
    TEXTS,
    VERDICT,
    WHOLE,
    maybe,
    several,
    shape,
)

SHAPES: dict[str, Any] = {
    "Problem": {
        **shape(
            ("problems", "remedy"),
            type=TEXT,
            title=TEXT,
            status=WHOLE,
            code=TEXT,
            remedy=TEXT,
            problems={"type": "array", "items": {"type": "object"}},
        ),
        "additionalProperties": True,
    },
    "Health": shape(state=TEXT),
    "Keeping": shape(**RULES),
    "Storage": shape(results=WHOLE, evidence=WHOLE, files=WHOLE, free=WHOLE, low=FLAG, least=WHOLE),
    "Person": shape(id=TEXT, name=TEXT, initials=TEXT, role=TEXT),
    "Project": shape(id=TEXT, name=TEXT, about=TEXT),
    "Brought": shape(
        project=TEXT,
        name=TEXT,
        new=WHOLE,
        changed=WHOLE,
        same=WHOLE,
        changes=several("BroughtChange"),
        more=WHOLE,
    ),
    "BroughtChange": shape(kind=TEXT, name=TEXT, what=TEXT),
    "ProjectFile": shape(path=TEXT, size=WHOLE, at=TEXT),
    "Gone": shape(gone=FLAG),
    "DeletedCase": shape(id=TEXT, name=TEXT, suite=TEXT, at=TEXT),
    "Environment": shape(id=TEXT, name=TEXT, about=TEXT, guarded=FLAG, usual=FLAG),
    "ValueCell": shape(environment=TEXT, given=FLAG, text=TEXT, missing=FLAG),
    "NamedCase": shape(id=TEXT, name=TEXT),
    "ValueRow": shape(
        suite=TEXT,
        suiteName=TEXT,
        name=TEXT,
        secret=FLAG,
        cells=several("ValueCell"),
        uses=WHOLE,
        usedByValues=FLAG,
        cases=several("NamedCase"),
        nowhere=FLAG,
    ),
    "ValueFault": shape(index=WHOLE, sentence=TEXT),
    "ChangedValues": shape(faults=several("ValueFault"), undo=several("ValueChange")),
    "Renamed": shape(cases=WHOLE),
    "LiftOffer": shape(literal=TEXT, name=TEXT, there=FLAG, steps=WHOLE, cases=WHOLE),
    "LiftedPlace": shape(case=TEXT, caseName=TEXT, path=TEXT, step=TEXT, before=TEXT, after=TEXT),
    "Lifted": shape(
        places=several("LiftedPlace"),
        there=FLAG,
        saved=several("SavedCase"),
        undo=several("ValueChange"),
    ),
    "Suite": shape(
        id=TEXT, name=TEXT, about=TEXT, folder=TEXT, inOrder=FLAG, cases=several("CaseLine")
    ),
    "CaseLine": shape(
        id=TEXT,
        name=TEXT,
        about=TEXT,
        register=TEXT,
        tags=TEXTS,
        steps=WHOLE,
        checks=WHOLE,
        addresses=TEXTS,
        role=ROLE,
        last=maybe("LastVerdict"),
    ),
    "LastVerdict": shape(
        verdict=VERDICT,
        at=TEXT,
        since=TEXT,
        ms=NUMBER,
        verdicts={"type": "array", "items": VERDICT},
    ),
}
