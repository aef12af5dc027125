"""What comes from elsewhere: texts, recordings, single requests, sheets and workbooks."""

from __future__ import annotations

from typing import Any

from saltpath.server.shapes.parts import (
    FLAG,
    MAYBE_TEXT,
    NUMBER,
    TEXT,
    TEXTS,
    VERDICT,
    WHOLE,
    maybe,
    several,
    shape,
)

SHAPES: dict[str, Any] = {
    "Pasted": shape(steps={"type": "array", "items": {"type": "object"}}, said=TEXTS),
    "RecordedEntry": shape(
        number=WHOLE,
        address=TEXT,
        host=TEXT,
        status=WHOLE,
        mediaType=TEXT,
        size=WHOLE,
        ms=NUMBER,
        leftOut=maybe("Reason"),
        needed=maybe("Reason"),
        said=TEXTS,
        step={"type": ["object", "null"]},
    ),
    "RecordedPlace": shape(number=WHOLE, path=TEXT),
    "RecordedHandOver": shape(number=WHOLE, literal=TEXT, sources=several("RecordedPlace")),
    "RecordedSite": shape(site=TEXT, entries=WHOLE),
    "Recording": shape(
        maker=TEXT,
        site=TEXT,
        sites=several("RecordedSite"),
        entries=several("RecordedEntry"),
        handOvers=several("RecordedHandOver"),
    ),
    "SingleRequest": shape(id=TEXT, name=TEXT, send=TEXT, last=maybe("Sending")),
    "Sending": shape(
        run=TEXT,
        version=WHOLE,
        at=TEXT,
        environment=TEXT,
        method=TEXT,
        address=TEXT,
        verdict=VERDICT,
        status=WHOLE,
        ms=NUMBER,
        size=WHOLE,
        why=maybe("Reason"),
    ),
    "PlacedRequest": shape(case=TEXT, name=TEXT, step=TEXT, number=WHOLE),
    "SheetTable": shape(
        name=TEXT, headings=WHOLE, columns=TEXTS, own=FLAG, table={"type": "array", "items": TEXTS}
    ),
    "ReadWorkbook": shape(sheets=several("SheetTable"), said=TEXTS),
    "StoredRow": shape(
        case=TEXT,
        caseName=TEXT,
        step=TEXT,
        stepName=TEXT,
        number=WHOLE,
        index=WHOLE,
        check={"type": ["object", "null"]},
        cells={"type": "object", "additionalProperties": TEXT},
    ),
    "ReadRequest": shape(step={"type": ["object", "null"]}, problem=TEXT),
    "RowFault": shape(row=WHOLE, column=TEXT, sentence=TEXT),
    "PlannedCase": shape(id=MAYBE_TEXT, name=TEXT, changes=TEXTS, steps=WHOLE),
    "SavedCase": shape(id=TEXT, name=TEXT, version=WHOLE, before={"type": ["object", "null"]}),
    "TakenRows": shape(
        cases=several("PlannedCase"),
        faults=several("RowFault"),
        checks=WHOLE,
        saved=several("SavedCase"),
        left=TEXTS,
    ),
    "KeptWorkbook": shape(name=TEXT, at=MAYBE_TEXT),
    "UncheckedField": shape(
        path=TEXT, places=WHOLE, kind=TEXT, value=TEXT, check={"type": "object"}
    ),
    "StepCoverage": shape(
        step=TEXT,
        number=WHOLE,
        name=TEXT,
        fields=WHOLE,
        checked=WHOLE,
        unchecked=several("UncheckedField"),
    ),
    "CaseCoverage": shape(case=TEXT, name=TEXT, steps=several("StepCoverage")),
    "ReadText": shape(document={"type": ["object", "null"]}, problems=several("TextFault")),
    "TextFault": shape(sentence=TEXT, line=WHOLE),
    "FormatWord": shape(kind=TEXT, text=TEXT, about=TEXT),
}
