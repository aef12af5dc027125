"""`run --server`: a run at a server, told here as it goes on, with the same reports and exit
statuses as a run of files."""

from __future__ import annotations

import json
import signal
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from collections.abc import Iterator
from pathlib import Path
from typing import Any, cast

import click
from msgspec import Struct

from saltpath.cli.calls import STOPPED, NotUnderstood, write_pieces
from saltpath.core.running.run_sentences import stopped_itself
from saltpath.core.values.errors import SaltPathError
from saltpath.formats.terminal import Screen, outcome_line, printable

LOOK_S = 0.4
PATIENCE_S = 60.0
"""So long a server may be away, while it starts anew, before a run at it is given up."""
TIMEOUT_S = 60.0
PIECE = 1 << 16
MOST_CAUSES = 50
Json = dict[str, Any]


class Asked(Struct, frozen=True):
    """What is to be run there."""

    project: str
    paths: list[str]
    environments: list[str]
    values: dict[str, str]
    pick: str
    only: str
    tags: list[str]
    seed: int | None
    jobs: int
    wait_us: int
    up_at: str
    stop_after: int
    build: str
    allow: list[str]


class Gone(SaltPathError):
    """The server does not answer."""

    code = "gone"


class Server:
    """The API of a server. Raises NotUnderstood for what it refuses, with its own sentence."""

    def __init__(self, address: str, key: str = "") -> None:
        parts = urllib.parse.urlsplit(address)
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise NotUnderstood(f"--server takes an address such as https://host; found {address}")
        self._root, self._key = f"{address.rstrip('/')}/api/v1", key.strip()
        if not (self._key.isascii() and (self._key.isprintable())):
            raise NotUnderstood("--key takes a key as it was shown; this one has other characters")

    def ask(self, path: str, body: Json | None = None, method: str = "", **headers: str) -> Json:
        """JSON of a call; POST where there is a body."""
        with self._open(path, body, method, headers) as answer:
            try:
                return cast(Json, json.load(answer))
            except ValueError:
                raise NotUnderstood(f"{self._root} does not answer as Salt Path does") from None

    def pieces(self, path: str) -> Iterator[bytes]:
        """The octets of an answer."""
        with self._open(path, None, "", {}) as answer:
            yield from iter(lambda: answer.read(PIECE), b"")

    def _open(self, path: str, body: Json | None, method: str, headers: dict[str, str]) -> Any:
        data = json.dumps(body).encode() if body is not None else None
        given = {name.replace("_", "-"): value for name, value in headers.items()}
        if data is not None:
            given["Content-Type"] = "application/json"
        asked = urllib.request.Request(f"{self._root}{path}", data, given, method=method or None)
        if self._key:  # and to no other server that this one leads to
            asked.add_unredirected_header("Authorization", f"Bearer {self._key}")
        try:
            return urllib.request.urlopen(asked, timeout=TIMEOUT_S)
        except urllib.error.HTTPError as error:
            if error.code in (502, 503, 504):
                raise Gone(f"it answered {error.code}") from None
            raise NotUnderstood(_said(error)) from None
        except (OSError, urllib.error.URLError) as problem:
            raise Gone(str(getattr(problem, "reason", problem))) from None

    def patiently(self, *asked: Any, **named: Any) -> Json:
        """The same, again and again while the server does not answer."""
        end = time.monotonic() + PATIENCE_S
        while True:
            try:
                return self.ask(*asked, **named)
            except Gone as problem:
                if time.monotonic() > end:
                    raise NotUnderstood(f"{self._root} does not answer: {problem}") from None
                time.sleep(LOOK_S)


def _said(error: urllib.error.HTTPError) -> str:
    """The sentence of a problem document (RFC 9457), with the steps that it names."""
    try:
        problem = json.loads(error.read())
        steps = "".join(
            f"\n  {step['send']}  ({step['name']})" for step in problem.get("steps", ())
        )
        if problem.get("code") == "signed-out":
            return "the server asks who you are: give it a key by --key, or as SALTPATH_KEY"
        if problem.get("code") == "guarded":
            return f"{problem['title']}{steps}\nSay --allow changes to run them; nothing was sent."
        return str(problem["title"])
    except (ValueError, KeyError, TypeError, AttributeError):
        return f"the server answered {error.code}"


def run_there(
    address: str, key: str, asked: Asked, reports: list[tuple[str, Path]], quiet: bool
) -> int:
    """The exit status of a run at a server, that a key lets into."""
    server, screen = Server(address, key), Screen(quiet=quiet)
    project = _project(server, asked.project)
    body: Json = {
        "project": project,
        "only": asked.only,
        "tags": asked.tags,
        "jobs": asked.jobs,
        "waitUntilUp": asked.wait_us / 1e6,
        "upAt": asked.up_at,
        "stopAfter": asked.stop_after,
        "values": asked.values,
        "build": asked.build,
        "seed": asked.seed,
    }
    if asked.paths:
        body["paths"] = asked.paths
    if asked.environments:
        body["environments"] = asked.environments
    if asked.pick:
        body["pick"] = asked.pick
    if "changes" in asked.allow:
        body["changes"] = "all"
    run = server.patiently("/runs", body, Idempotency_Key=str(uuid.uuid4()))
    path = f"/runs/{urllib.parse.quote(run['id'])}"
    screen.line(f"run {run['number']} at {address.rstrip('/')}{path}")
    _stop_on_signals(server, path)
    _follow(server, path, screen)
    allowed = [("allow", name) for name in asked.allow if name != "changes"]
    outcome = server.patiently(f"{path}/outcome?{urllib.parse.urlencode(allowed)}")
    for cause in outcome["causes"][:MOST_CAUSES]:
        who = f"{cause['who']}: " if cause["who"] else ""
        known = f" ({cause['known']})" if cause["known"] else ""
        screen.line(f"{who}{cause['sentence']}{known}", cause["verdict"], 2)
    unwritten = _fetch(server, path, reports)
    screen.line(
        outcome_line(
            outcome["verdict"],
            outcome["counts"],
            None,
            round((outcome["ms"] or 0) * 1000),
            outcome["seed"],
            outcome["stoppedBy"],
        ),
        outcome["verdict"],
    )
    for sentence in unwritten:
        click.echo(printable(sentence), err=True)
    if outcome["stoppedBy"] and not stopped_itself(outcome["stoppedBy"]):
        return STOPPED
    return 0 if outcome["ok"] and not unwritten else 1


def _project(server: Server, wanted: str) -> str:
    """The identity of a project by its name; of the only one without."""
    try:
        found = server.ask("/projects")["items"]
    except Gone as problem:
        raise NotUnderstood(f"the server does not answer: {problem}") from None
    named = [one for one in found if wanted in (one["id"], one["name"]) or not wanted]
    if len(named) == 1:
        return str(named[0]["id"])
    names = ", ".join(one["name"] for one in found)
    if not named:
        raise NotUnderstood(f"there is no project {wanted}; there is {names}")
    raise NotUnderstood(f"say which project is meant, --project: {names}")


def _stop_on_signals(server: Server, path: str) -> None:
    """The first signal stops the run there, which still carries out what cleans up; a second one
    leaves it alone with that."""

    def stop(*_: object) -> None:
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_DFL)
        try:
            server.ask(f"{path}/stop", method="POST")
        except (Gone, NotUnderstood):
            return  # it has ended meanwhile, or is looked at again in a moment

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, stop)


def _follow(server: Server, path: str, screen: Screen) -> None:
    """Tell the cases as they end, until the run has."""
    told = set[int]()
    while True:
        report = server.patiently(path)
        for case in report["cases"]:
            if case["state"] == "finished" and case["position"] not in told:
                told.add(case["position"])
                _tell(case, screen)
        if report["state"] == "finished":
            return
        doing = [case["name"] for case in report["cases"] if case["state"] == "running"]
        screen.under_way(f"{len(told)} of {len(report['cases'])} cases · {', '.join(doing)}")
        time.sleep(LOOK_S)


def _tell(case: Json, screen: Screen) -> None:
    from saltpath.core.values.measures import show_duration

    if screen.quiet and case["verdict"] == "passed":
        return
    took = show_duration(round((case["ms"] or 0) * 1000))
    screen.line(f"{case['verdict']:9} {case['name']} ({took})", case["verdict"])
    if case["verdict"] != "passed" and case["why"]:
        screen.line(case["why"]["sentence"], indent=12)


def _fetch(server: Server, path: str, reports: list[tuple[str, Path]]) -> list[str]:
    """Write the reports; a sentence for each that could not be."""
    unwritten = []
    for form, file in reports:
        try:
            write_pieces(file, server.pieces(f"{path}/report?format={form}"))
        except OSError as problem:
            unwritten.append(f"{file} could not be written: {problem.strerror or problem}")
        except Gone as problem:
            unwritten.append(f"{file} could not be written: the server does not answer: {problem}")
    return unwritten
