"""A request that came from elsewhere (a command line, raw HTTP) as a request step's document."""

from __future__ import annotations

import base64
import binascii
from typing import Any
from urllib.parse import parse_qsl, unquote_plus

from msgspec import Struct, field

from saltpath.core.assist.naming import name_for
from saltpath.core.references.templates import literal
from saltpath.core.values import plain

FORM = "application/x-www-form-urlencoded"
_OURS = ("content-length", "host", "connection", "transfer-encoding", "accept-encoding", "expect")


class Part(Struct, frozen=True):
    """A part of a multipart body: a text, or a file's path."""

    name: str
    text: str = ""
    file: str = ""
    media_type: str = ""


class Pasted(Struct):
    """What a pasted text came to: request steps as documents, without keys, and what could not be
    taken along, in sentences."""

    steps: list[dict[str, Any]] = field(default_factory=list)
    said: list[str] = field(default_factory=list)

    def say(self, sentence: str) -> None:
        if sentence not in self.said:
            self.said.append(sentence)

    def needs_file(self, path: str) -> None:
        self.say(f"It sends the file {path}: bring it into the project under that path.")


class RequestStep(Struct):
    """A request as it is put together. `body`: the document's keys for it."""

    method: str = "GET"
    headers: list[tuple[str, str]] = field(default_factory=list)
    auth: dict[str, Any] = field(default_factory=dict)
    options: dict[str, Any] = field(default_factory=dict)
    body: dict[str, Any] = field(default_factory=dict)

    def media_type(self) -> str:
        return next((value for name, value in self.headers if name.lower() == "content-type"), "")

    def default_header(self, name: str, value: str) -> None:
        if all(given.lower() != name.lower() for given, _ in self.headers):
            self.headers.append((name, value))

    def file_body(self, path: str, media_type: str) -> None:
        self.body = {"file": literal(path), **({"type": media_type} if media_type else {})}
        self._without_type()

    def multipart(self, parts: list[Part]) -> None:
        self.body = {
            "multipart": [
                {
                    "name": literal(part.name),
                    **({"file": literal(part.file)} if part.file else {"text": literal(part.text)}),
                    **({"type": part.media_type} if part.media_type else {}),
                }
                for part in parts
            ]
        }
        self._without_type()

    def form_body(self, fields: Any) -> None:
        """Names and values, urlencoded: a mapping, or pairs where a name repeats."""
        self.body = {"form": fields}
        self._without_type()

    def sign_in_of_header(self) -> None:
        """An Authorization header becomes the step's sign-in, where it says what the format can
        say."""
        header = next(
            (value for name, value in self.headers if name.lower() == "authorization"), ""
        )
        scheme, _, rest = header.partition(" ")
        if scheme.lower() == "bearer" and rest.strip():
            self.auth = {"bearer": rest.strip()}
        elif scheme.lower() == "basic":
            try:
                user, colon, password = (
                    base64.b64decode(rest.strip(), validate=True).decode().partition(":")
                )
            except (binascii.Error, UnicodeDecodeError):
                return
            if not colon:
                return
            self.auth = {"basic": [user, password]}
        else:
            return
        self.headers = [pair for pair in self.headers if pair[0].lower() != "authorization"]

    def text_body(self, text: str, media_type: str) -> None:
        """The body by what its type says it is; where it is not that, it is sent as the text that
        it is."""
        kind = media_type.partition(";")[0].strip().lower()
        if kind == FORM and (pairs := _form(text)) is not None:
            self.body, own = {"form": pairs}, FORM
        elif (kind == "application/json" or kind.endswith("+json")) and _is_json(text):
            self.body, own = {"json": literal(text)}, "application/json"
        else:
            self.body, own = {"text": literal(text), "type": media_type}, media_type
        # else the header says more than the body does by itself
        if media_type.strip().lower() == own.lower():
            self._without_type()

    def _without_type(self) -> None:
        """Without the header that the body brings along by itself."""
        self.headers = [pair for pair in self.headers if pair[0].lower() != "content-type"]

    def document(self, address: str) -> dict[str, Any]:
        """The step, its address with the query apart where each name stands once."""
        base, query = _split(address)
        headers = [
            (name, literal(value)) for name, value in self.headers if name.lower() not in _OURS
        ]
        step: dict[str, Any] = {
            "request": name_for(self.method, base),
            "send": f"{self.method} {literal(base)}",
        }
        if query:
            step["query"] = {literal(name): literal(value) for name, value in query}
        if headers:
            names = {name.lower() for name, _ in headers}
            step["headers"] = (
                dict(headers) if len(names) == len(headers) else [list(pair) for pair in headers]
            )
        if self.auth:
            step["auth"] = {kind: _literals(value) for kind, value in self.auth.items()}
        step |= self.body
        if self.options:
            step["options"] = self.options
        return step


def _split(address: str) -> tuple[str, list[tuple[str, str]]]:
    """The address and its query; a query stays in the address where a name repeats or has no value,
    since then it would not be written again as it is."""
    base, _, query = address.partition("?")
    parts = [part.partition("=") for part in query.split("&")]
    try:
        pairs = [
            (unquote_plus(name, errors="strict"), unquote_plus(value, errors="strict"))
            for name, _, value in parts
        ]
    except UnicodeDecodeError:  # in another charset, which only the address can say
        return address, []
    if (
        not query
        or not all(equals for _, equals, _ in parts)
        or len({name for name, _ in pairs}) < len(pairs)
    ):
        return address, []
    return base, pairs


def _form(text: str) -> Any:
    """The fields of a form, as a mapping or, where a name repeats, as pairs; None if the text is no
    form."""
    if not text or any("=" not in part or not part.partition("=")[0] for part in text.split("&")):
        return None
    try:
        pairs = [
            (literal(n), literal(v))
            for n, v in parse_qsl(text, keep_blank_values=True, errors="strict")
        ]
    except UnicodeDecodeError:  # in another charset than a form of ours is sent in
        return None
    if len(pairs) != len(text.split("&")):
        return None
    return (
        dict(pairs)
        if len({name for name, _ in pairs}) == len(pairs)
        else [list(pair) for pair in pairs]
    )


def _is_json(text: str) -> bool:
    try:
        plain.read_json(text)
    except plain.NotPlain:
        return False
    return True


def _literals(value: Any) -> Any:
    return [literal(item) for item in value] if isinstance(value, list) else literal(value)
