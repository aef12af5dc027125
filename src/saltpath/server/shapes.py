"""The shapes that the API gives and takes, as JSON Schema."""

from __future__ import annotations

from typing import Any

from saltpath.core.case import PARTS

TEXT = {"type": "string"}
WHOLE = {"type": "integer"}
NUMBER = {"type": "number"}
FLAG = {"type": "boolean"}
TEXTS = {"type": "array", "items": TEXT}
WHOLES = {"type": "array", "items": WHOLE}
MAYBE_NUMBER = {"type": ["number", "null"]}
MAYBE_TEXT = {"type": ["string", "null"]}
VERDICT = {"type": "string", "enum": ["passed", "failed", "blocked", "skipped", "unchecked"]}
MAYBE_VERDICT = {"type": ["string", "null"], "enum": ["passed", "failed", "blocked", "skipped", "unchecked", None]}
STATE = {"type": "string", "enum": ["waiting", "running", "stopping", "finished"]}
PART = {"type": "string", "enum": list(PARTS)}


def _ref(name: str) -> dict[str, Any]:
    return {"$ref": f"#/components/schemas/{name}"}


def _list(name: str) -> dict[str, Any]:
    return {"type": "array", "items": _ref(name)}


def _maybe(name: str) -> dict[str, Any]:
    return {"oneOf": [_ref(name), {"type": "null"}]}


def _object(optional: tuple[str, ...] = (), /, **properties: Any) -> dict[str, Any]:
    required = [name for name in properties if name not in optional]
    return {"type": "object", "required": required, "properties": properties}


_RUN: Any = {
    "id": TEXT, "number": WHOLE, "kind": TEXT, "title": TEXT, "environment": TEXT, "seed": WHOLE, "label": TEXT,
    "state": STATE, "verdict": MAYBE_VERDICT, "stoppedBy": TEXT, "startedBy": TEXT, "askedAt": TEXT,
    "startedAt": MAYBE_TEXT, "finishedAt": MAYBE_TEXT, "ms": MAYBE_NUMBER,
    "counts": {"type": "object", "additionalProperties": WHOLE},
}  # fmt: skip
_HEAD: Any = {
    "row": WHOLE,
    "part": PART,
    "index": WHOLE,
    "inner": TEXT,
    "place": TEXT,
    "verdict": VERDICT,
    "status": WHOLE,
    "ms": NUMBER,
    "size": WHOLE,
}
_EVIDENCE: Any = {
    **_HEAD, "at": TEXT, "name": TEXT, "kind": TEXT, "why": _maybe("Reason"), "counts": FLAG,
    "attempts": WHOLE, "exchanges": _list("Exchange"), "checks": _list("Outcome"), "kept": _list("Kept"), "used": _list("Used"),
}  # fmt: skip

SHAPES: dict[str, Any] = {
    "Problem": {**_object(("problems",), type=TEXT, title=TEXT, status=WHOLE, code=TEXT,
                          problems={"type": "array", "items": {"type": "object"}}), "additionalProperties": True},
    "Health": _object(state=TEXT),
    "Person": _object(id=TEXT, name=TEXT, initials=TEXT, role=TEXT),
    "Project": _object(id=TEXT, name=TEXT, about=TEXT),
    "NewProject": _object(name=TEXT),
    "Brought": _object(project=TEXT, name=TEXT, new=WHOLE, changed=WHOLE, same=WHOLE),
    "ProjectFile": _object(path=TEXT, size=WHOLE, at=TEXT),
    "Gone": _object(gone=FLAG),
    "Environment": _object(id=TEXT, name=TEXT, about=TEXT, guarded=FLAG, usual=FLAG),
    "NewEnvironment": _object(("like",), project=TEXT, name=TEXT, like=TEXT),
    "EnvironmentChange": _object(("name", "about", "guarded", "usual"), name=TEXT, about=TEXT, guarded=FLAG, usual=FLAG),
    "ValueCell": _object(environment=TEXT, given=FLAG, text=TEXT, missing=FLAG),
    "NamedCase": _object(id=TEXT, name=TEXT),
    "ValueRow": _object(suite=TEXT, suiteName=TEXT, name=TEXT, secret=FLAG, cells=_list("ValueCell"), uses=WHOLE, usedByValues=FLAG,
                        cases=_list("NamedCase"), nowhere=FLAG),
    "ValueChange": _object(("suite", "environment", "text"), kind={"type": "string", "enum": ["put", "clear", "hide", "remove"]},
                           name=TEXT, suite=TEXT, environment=TEXT, text=TEXT),
    "ValueChanges": _object(project=TEXT, changes=_list("ValueChange")),
    "ValueFault": _object(index=WHOLE, sentence=TEXT),
    "ChangedValues": _object(faults=_list("ValueFault"), undo=_list("ValueChange")),
    "NewValueName": _object(("suite",), project=TEXT, suite=TEXT, name=TEXT, to=TEXT),
    "Renamed": _object(cases=WHOLE),
    "LiftOffer": _object(literal=TEXT, name=TEXT, there=FLAG, steps=WHOLE, cases=WHOLE),
    "Lift": _object(("take", "left"), project=TEXT, literal=TEXT, name=TEXT, take=FLAG,
                    left={"type": "object", "additionalProperties": TEXTS}),
    "LiftedPlace": _object(case=TEXT, caseName=TEXT, path=TEXT, step=TEXT, before=TEXT, after=TEXT),
    "Lifted": _object(places=_list("LiftedPlace"), there=FLAG, saved=_list("SavedCase"), undo=_list("ValueChange")),
    "Suite": _object(id=TEXT, name=TEXT, about=TEXT, cases=_list("CaseLine")),
    "NewSuite": _object(project=TEXT, name=TEXT),
    "SuiteChange": _object(("name", "about", "before"), name=TEXT, about=TEXT, before=MAYBE_TEXT),
    "CaseMove": _object(("before",), suite=TEXT, before=MAYBE_TEXT),
    "CaseLine": _object(id=TEXT, name=TEXT, about=TEXT, register=TEXT, tags=TEXTS, steps=WHOLE, checks=WHOLE, addresses=TEXTS,
                        last=_maybe("LastVerdict")),
    "LastVerdict": _object(verdict=VERDICT, at=TEXT, since=TEXT, ms=NUMBER, verdicts={"type": "array", "items": VERDICT}),
    "Reason": _object(code=TEXT, sentence=TEXT),
    "Piece": _object(("name",), text=TEXT, name=TEXT),
    "Pair": _object(name=TEXT, value=_list("Piece")),
    "Auth": _object(kind=TEXT, value=_list("Piece")),
    "Body": _object(kind=TEXT, text=_list("Piece")),
    "Send": _object(method=TEXT, address=_list("Piece"), query=_list("Pair"), headers=_list("Pair"), auth=_maybe("Auth"),
                    body=_maybe("Body"), options=TEXTS),
    "Check": _object(of=TEXT, phrase=TEXT, expected=_list("Piece"), sentence=TEXT, typed=TEXT, advice=FLAG, off=FLAG,
                     note=TEXT, parts=_list("Check"), role=TEXT),
    "EveryAnswer": _object(origin={"type": "string", "enum": ["project", "suite", "case"]}, id=TEXT, name=TEXT, version=WHOLE,
                           checks=_list("Check"), documents={"type": "array", "items": {"type": "object"}}),
    "EveryAnswerChange": _object(checks={"type": "array", "items": {"type": "object"}}),
    "Repeat": _object((), **{"until": TEXT, "every": TEXT, "at most": TEXT}),
    "Keep": _object(name=TEXT, of=TEXT, secret=FLAG, to=WHOLES, gives=TEXTS),
    "SetValue": _object(name=TEXT, value=_list("Piece"), to=WHOLES),
    "SharedInput": _object(name=TEXT, kind=TEXT, needed=FLAG, value=TEXT),
    "SharedOutput": _object(name=TEXT, value=TEXT),
    "Shared": _object(called=TEXT, inputs=_list("SharedInput"), outputs=_list("SharedOutput"), uses=WHOLE, cases=_list("NamedCase")),
    "SharedSteps": _object(id=TEXT, name=TEXT, about=TEXT, steps=WHOLE, called=TEXT, inputs=_list("SharedInput"),
                           outputs=_list("SharedOutput"), uses=WHOLE, cases=_list("NamedCase")),
    "NewSharedSteps": _object(project=TEXT, document={"type": "object"}),
    "UsedThere": _object(saved=_list("SavedCase")),
    "ToShare": _object(steps=TEXTS, name=TEXT),
    "Extracted": _object(shared=_ref("SharedSteps"), use={"type": "object"}),
    "UsedInput": _object(name=TEXT, kind=TEXT, needed=FLAG, given=FLAG, value=_list("Piece")),
    "GivenOutput": _object(output=TEXT, name=TEXT, to=WHOLES),
    "UseShared": _object(called=TEXT, problem=TEXT, inputs=_list("UsedInput"), outputs=TEXTS, gives=_list("GivenOutput")),
    "ForEach": _object(of=_list("Piece"), item=TEXT),
    "Step": _object(("send", "expect", "without", "keep", "set", "wait", "repeat", "use", "each"), number=WHOLE, part=PART, index=WHOLE, key=TEXT,
                    label=TEXT, place=TEXT, inside=TEXT, use=_ref("UseShared"), each=_ref("ForEach"),
                    kind={"type": "string", "enum": ["request", "set", "wait", "shared", "for each"]}, name=TEXT, off=FLAG, send=_ref("Send"),
                    expect=_list("Check"), without=TEXTS, keep=_list("Keep"), set=_list("SetValue"), wait=TEXT, onlyIf=TEXT, repeat=_maybe("Repeat")),
    "Thread": _object((), **{"name": TEXT, "from": WHOLE, "to": WHOLES, "broken": FLAG}),
    "Finding": _object(weight=TEXT, step=TEXT, path=TEXT, name=TEXT, code=TEXT, sentence=TEXT),
    "CaseValue": _object(name=TEXT, value=TEXT, secret=FLAG),
    "ScopeValue": _object((), **{"name": TEXT, "value": TEXT, "secret": FLAG, "from": TEXT}),
    "Case": _object(("text",), id=TEXT, project=TEXT, suite=_object(id=TEXT, name=TEXT), single=FLAG, shared=_maybe("Shared"), key=TEXT, name=TEXT, about=TEXT, register=TEXT,
                    tags=TEXTS, onFailure=TEXT, values=_list("CaseValue"), rows=_maybe("RowsOfCase"), scope=_list("ScopeValue"), version=WHOLE, changedAt=TEXT,
                    document={"type": "object"}, text=TEXT, everyAnswer=_list("EveryAnswer"), steps=_list("Step"), threads=_list("Thread"),
                    findings=_list("Finding")),
    "RowsOfCase": _object(source=TEXT, file=TEXT, kind=TEXT, pick=TEXT, columns=TEXTS, first={"type": "array", "items": TEXTS}, problem=TEXT),
    "CaseDocument": _object(("document", "text"), document={"type": "object"}, text=TEXT),
    "TextToRead": _object(text=TEXT),
    "Pasted": _object(steps={"type": "array", "items": {"type": "object"}}, said=TEXTS),
    "HarFile": {"type": "object", "additionalProperties": True},
    "RecordedEntry": _object(number=WHOLE, address=TEXT, host=TEXT, status=WHOLE, mediaType=TEXT, size=WHOLE, ms=NUMBER,
                             leftOut=_maybe("Reason"), said=TEXTS, step={"type": ["object", "null"]}),
    "RecordedPlace": _object(number=WHOLE, path=TEXT),
    "RecordedHandOver": _object(number=WHOLE, literal=TEXT, sources=_list("RecordedPlace")),
    "Recording": _object(maker=TEXT, entries=_list("RecordedEntry"), handOvers=_list("RecordedHandOver")),
    "NewSingleRequest": _object(project=TEXT, step={"type": "object"}),
    "SingleRequest": _object(id=TEXT, name=TEXT, send=TEXT, last=_maybe("Sending")),
    "Sending": _object(run=TEXT, version=WHOLE, at=TEXT, environment=TEXT, method=TEXT, address=TEXT, verdict=VERDICT, status=WHOLE, ms=NUMBER,
                       size=WHOLE, why=_maybe("Reason")),
    "PlaceForRequest": _object(("suite", "name", "case"), suite=TEXT, name=TEXT, case=TEXT),
    "PlacedRequest": _object(case=TEXT, name=TEXT, step=TEXT),
    "SheetTable": _object(name=TEXT, headings=WHOLE, columns=TEXTS, own=FLAG, table={"type": "array", "items": TEXTS}),
    "ReadWorkbook": _object(sheets=_list("SheetTable"), said=TEXTS),
    "StoredRow": _object(case=TEXT, caseName=TEXT, step=TEXT, stepName=TEXT, number=WHOLE, index=WHOLE, check={"type": ["object", "null"]},
                         cells={"type": "object", "additionalProperties": TEXT}),
    "RequestCells": _object(step=TEXT, cells={"type": "object", "additionalProperties": TEXT}),
    "ReadRequest": _object(step={"type": ["object", "null"]}, problem=TEXT),
    "TableRows": _object(("first", "otherwise", "case", "take", "headings"), columns=TEXTS, table={"type": "array", "items": TEXTS},
                         first=WHOLE, otherwise=TEXT, case=TEXT, take=FLAG, headings=TEXTS),
    "RowFault": _object(row=WHOLE, column=TEXT, sentence=TEXT),
    "PlannedCase": _object(id=MAYBE_TEXT, name=TEXT, changes=TEXTS, steps=WHOLE),
    "SavedCase": _object(id=TEXT, name=TEXT, version=WHOLE, before={"type": ["object", "null"]}),
    "TakenRows": _object(cases=_list("PlannedCase"), faults=_list("RowFault"), checks=WHOLE, saved=_list("SavedCase"), left=TEXTS),
    "KeptWorkbook": _object(name=TEXT, at=MAYBE_TEXT),
    "UncheckedField": _object(path=TEXT, places=WHOLE, kind=TEXT, value=TEXT, check={"type": "object"}),
    "StepCoverage": _object(step=TEXT, number=WHOLE, name=TEXT, fields=WHOLE, checked=WHOLE, unchecked=_list("UncheckedField")),
    "CaseCoverage": _object(case=TEXT, name=TEXT, steps=_list("StepCoverage")),
    "ReadText": _object(document={"type": ["object", "null"]}, problems=_list("TextFault")),
    "TextFault": _object(sentence=TEXT, line=WHOLE),
    "FormatWord": _object(kind=TEXT, text=TEXT, about=TEXT),
    "NewCase": _object(("document", "text"), project=TEXT, suite=TEXT, document={"type": "object"}, text=TEXT),
    "NewRun": _object(("cases", "suite", "environment", "seed", "label", "kind", "steps", "values", "jobs", "changes", "again", "pick", "bad"), project=TEXT, again=TEXT, pick=TEXT, bad=TEXT,
                      changes={"oneOf": [{"type": "array", "items": TEXT}, {"const": "all"}]},
                      cases=TEXTS, suite=TEXT, environment=TEXT, seed=WHOLE, label=TEXT, kind=TEXT, steps=WHOLES,
                      values={"type": "object", "additionalProperties": TEXT}, jobs=WHOLE),
    "ChangingStep": _object(case=TEXT, caseName=TEXT, step=TEXT, name=TEXT, send=TEXT),
    "Run": _object(**_RUN),
    "StepHead": _object(**_HEAD),
    "StepName": _object(part=PART, index=WHOLE, number=WHOLE, name=TEXT),
    "RunCase": _object(position=WHOLE, case=TEXT, name=TEXT, suite=TEXT, state=STATE, verdict=MAYBE_VERDICT,
                       why=_maybe("Reason"), ms=MAYBE_NUMBER, steps=_list("StepHead"), stepNames=_list("StepName"), rows=_maybe("CaseRows")),
    "CaseRows": _object(counts={"type": "object", "additionalProperties": WHOLE}, columns=TEXTS, kept=TEXTS, first={"type": ["integer", "null"]}, pick=TEXT, told=_list("ToldRow")),
    "ToldRow": _object(row=WHOLE, verdict=VERDICT, why=_maybe("Reason"), part=TEXT, index=WHOLE),
    "RowCell": _object(**_HEAD, value=TEXT),
    "RunRow": _object(row=WHOLE, verdict=VERDICT, ms=NUMBER, why=_maybe("Reason"), data={"type": "object", "additionalProperties": TEXT},
                      cells=_list("RowCell")),
    "RunReport": _object(**_RUN, cases=_list("RunCase"), project=TEXT),
    "Outcome": _object(verdict=VERDICT, check=TEXT, expected=TEXT, actual=TEXT, where=TEXTS, why=_maybe("Reason"),
                       advice=FLAG, note=TEXT, again=FLAG, parts=_list("Outcome"), role=TEXT, origin=TEXT),
    "Typed": _object(text=TEXT, step=TEXT),
    "ToClean": _object(of=TEXT, step=TEXT),
    "SheetRows": _object(rows={"type": "array", "items": _object(step=TEXT, of=TEXT, relation=TEXT, expected=TEXT)}),
    "SheetRow": _object(check={"type": ["object", "null"]}, problem=TEXT),
    "PipeLine": _object(text=TEXT, about=TEXT),
    "Cleaned": _object(value=MAYBE_TEXT, problem=TEXT, pipes=_list("PipeLine")),
    "SeenPlace": _object(path=TEXT, kinds=TEXTS, values=TEXTS, distinct=WHOLE, present=WHOLE, loose=_maybe("Reason")),
    "Seen": _object(answers=WHOLE, places=_list("SeenPlace")),
    "Proposal": _object(check={"type": "object"}, typed=TEXT, evidence=_ref("Reason")),
    "Proposals": _object(answers=WHOLE, needs=_object(sent=WHOLE, forms=WHOLE, always=WHOLE), items=_list("Proposal")),
    "EarlierPlace": _object(step=TEXT, number=WHOLE, name=TEXT, path=TEXT, value=TEXT),
    "ToInsert": _object(step=TEXT, text=TEXT),
    "Insertable": _object(text=TEXT, value=TEXT, about=TEXT, made=FLAG),
    "Repeated": _object((), **{"step": TEXT, "literal": TEXT, "from": TEXT, "path": TEXT}),
    "Revision": _object(version=WHOLE, at=TEXT, by=TEXT, runs=WHOLES, first=FLAG, changes=TEXTS, more=WHOLE),
    "RevisionDocument": _object(version=WHOLE, at=TEXT, document={"type": "object"}, text=TEXT, changes=TEXTS),
    "Tab": _object(("step", "leaving"), tab=TEXT, step=TEXT, leaving=FLAG),
    "Other": _object(name=TEXT, step=TEXT, same=FLAG),
    "Present": _object(others=_list("Other")),
    "Understood": _object(check={"type": ["object", "null"]}, typed=TEXT, outcome=_maybe("Outcome"), problem=TEXT, suggestions=TEXTS),
    "Times": _object(lookup=NUMBER, connect=NUMBER, tls=NUMBER, waiting=NUMBER, receiving=NUMBER, total=NUMBER),
    "Exchange": _object(id=TEXT, method=TEXT, address=TEXT, sentHead=TEXT, sentBody=TEXT, sentSize=WHOLE, status=WHOLE,
                        receivedHead=TEXT, mediaType=TEXT, size=WHOLE, receivedSize=WHOLE, begunAt=TEXT, times=_ref("Times"),
                        reused=FLAG, resent=FLAG, why=_maybe("Reason")),
    "Kept": _object(name=TEXT, value=TEXT, secret=FLAG),
    "Used": _object((), **{"text": TEXT, "from": TEXT, "value": TEXT}),
    "StepEvidence": _object(**_EVIDENCE),
    "Namespace": _object(prefix=TEXT, uri=TEXT),
    "LastStep": _object(**_EVIDENCE, run=TEXT, runNumber=WHOLE, runKind=TEXT, namespaces=_list("Namespace"), key=TEXT,
                        inside=_list("StepEvidence")),
    "Evidence": _object(run=_maybe("Run"), verdict=MAYBE_VERDICT, steps=_list("LastStep")),
    "Event": {**_object(v=WHOLE, id=WHOLE, at=WHOLE, type=TEXT), "additionalProperties": True},
}  # fmt: skip
