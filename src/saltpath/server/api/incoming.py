"""What a tester brings along from elsewhere: pasted command lines and requests, and recordings of a
browser."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from flask import Blueprint, Response, request

from saltpath.core.assist.recorded import Recorded, ends_with
from saltpath.core.assist.recorded_story import Story, story
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.har import Entry, read_har
from saltpath.formats.pasted import read_pasted
from saltpath.server.api.views import reason
from saltpath.server.asked import project_asked
from saltpath.server.bodies import TextToRead
from saltpath.server.declared import JSON, PROJECT, declared, of, parameter
from saltpath.server.origins import by_name, origins_of
from saltpath.server.problems import Refused, json_answer

incoming = Blueprint("incoming", __name__)


@incoming.post("/pasted")
@declared(
    "readPasted", "A curl line or raw HTTP as steps", of("Pasted"), takes=TextToRead, may="anyone"
)
def read_pasted_text(data: TextToRead) -> Response:
    """A curl line, or a request as it goes over the wire, as request steps; what could not be taken
    along is said."""
    try:
        pasted = read_pasted(data.text)
    except Unreadable as problem:
        raise Refused(422, "not-understood", str(problem)) from None
    case_from_data({"salt-path": 1, "case": "pasted", "steps": pasted.steps})
    return json_answer({"steps": pasted.steps, "said": pasted.said})


@incoming.post("/recordings")
@declared(
    "readRecording",
    "A browser's recording (HAR) as steps",
    of("Recording"),
    PROJECT,
    parameter("site", "the API's, of the recording's sites"),
    upload=JSON,
    may="read",
    dear=True,
)
def read_recording() -> Response:
    """A browser's recording (HAR), at most 60 MB: its entries as steps, which of them a case is
    proposed of, and the values that want to be handed over. `?site=` says which of its sites is the
    API's; else it is guessed. Nothing is kept of it."""
    origins = origins_of(project_asked())
    try:
        recording = read_har(request.get_data(cache=False))
    except Unreadable as problem:
        raise Refused(422, "not-understood", problem.sentence) from None
    for entry in recording.entries:
        _only_what_reads(entry)
    exchanges = [entry.exchange for entry in recording.entries if entry.exchange is not None]
    told, ends = story(exchanges, request.args.get("site", "")), ends_with(exchanges)
    return json_answer(
        {
            "maker": recording.maker,
            "site": told.site,
            "sites": [{"site": site, "entries": entries} for site, entries in told.sites],
            "entries": [
                _view(entry, ends.get(entry.number), told, origins) for entry in recording.entries
            ],
            "handOvers": [
                {
                    "number": item.number,
                    "literal": item.literal,
                    "sources": [{"number": number, "path": path} for number, path in item.sources],
                }
                for item in told.hand_overs
            ],
        }
    )


def _only_what_reads(entry: Entry) -> None:
    """An entry whose step the format would refuse loses it, and says why."""
    if entry.exchange is None:
        return
    try:
        case_from_data({"salt-path": 1, "case": "recorded", "steps": [entry.exchange.step]})
    except FormatError as problem:
        entry.exchange = None
        entry.said.append(f"It makes no step: {problem}.")


def _view(
    entry: Entry, end: Recorded | None, told: Story, origins: dict[str, str]
) -> dict[str, Any]:
    """One entry with its step; what it expects is how it ended, redirects followed."""
    exchange = entry.exchange
    if exchange is None or end is None:
        return {
            "number": entry.number,
            "address": "",
            "host": "",
            "status": 0,
            "mediaType": "",
            "size": 0,
            "ms": entry.ms,
            "leftOut": None,
            "needed": None,
            "said": entry.said,
            "step": None,
        }
    parts = urlsplit(exchange.address)
    expected: list[dict[str, Any]] = [{"of": "status", "is": end.status}] if end.status else []
    if "json" in end.media_type or end.media_type.endswith("xml"):
        expected.append({"of": "type", "is": end.media_type})
    return {
        "number": entry.number,
        "address": f"{exchange.method} "
        f"{parts.path or '/'}{'?' + parts.query if parts.query else ''}",
        "host": parts.netloc,
        "status": end.status,
        "mediaType": end.media_type,
        "size": len(end.body),
        "ms": entry.ms,
        "leftOut": reason(told.left_out.get(entry.number)),
        "needed": reason(told.pages.get(entry.number)),
        "said": entry.said,
        "step": {
            **exchange.step,
            "send": by_name(str(exchange.step["send"]), origins),
            **({"expect": expected} if expected else {}),
        },
    }
