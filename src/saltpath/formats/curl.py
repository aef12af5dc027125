"""A curl command line as a request: what it would send, as a request step of the case format.

The options' meanings are those of curl's manual page. What changes nothing of the request or its
answer (where the output goes, progress, colours) is passed over; what could not be taken along is
said.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable
from urllib.parse import quote_plus, urlsplit

from msgspec import Struct, field

from saltpath.core.values.grammar import Unreadable
from saltpath.formats.curl_addresses import MOST_STEPS, globbed, url_query, with_name, with_query
from saltpath.formats.request_step import Part, Pasted, RequestStep
from saltpath.formats.shell_words import Unclosed, words_of

_PROGRAM = re.compile(
    r"\s*(?:[$>#]\s+)?(?:\w:)?(?:[\w./\\-]*[/\\])?curl(?:\.exe)?\s", re.IGNORECASE
)
_SHORT = {
    "A": "user-agent",
    "b": "cookie",
    "d": "data",
    "e": "referer",
    "E": "cert",
    "F": "form",
    "G": "get",
    "H": "header",
    "I": "head",
    "g": "globoff",
    "k": "insecure",
    "L": "location",
    "m": "max-time",
    "T": "upload-file",
    "r": "range",
    "u": "user",
    "x": "proxy",
    "X": "request",
}
_QUIET_SHORT = frozenset("#012346afijNqsSvMBRZJO")
_QUIET_SHORT_WITH = frozenset("cDhowyYtPQ")
_QUIET = frozenset(
    "anyauth compressed compressed-ssh create-dirs disable fail fail-early fail-with-body http0.9 "
    "http1.0 http1.1 http2 http3"
    " http2-prior-knowledge http3-only include ipv4 ipv6 junk-session-cookies no-alpn no-buffer "
    "no-keepalive"
    " no-progress-meter no-sessionid path-as-is post301 post302 post303 progress-bar raw "
    "remote-header-name remote-name remote-name-all"
    " remote-time show-error show-headers silent ssl ssl-reqd styled-output tcp-fastopen "
    "tcp-nodelay tlsv1 tlsv1.0 tlsv1.1 tlsv1.2 tlsv1.3"
    " tr-encoding trace-time verbose no-compressed no-styled-output parallel skip-existing "
    "no-verbose no-silent http1 proxy-insecure".split()
)
_QUIET_WITH = frozenset(
    "connect-timeout cert-type ciphers cookie-jar dump-header expect100-timeout "
    "happy-eyeballs-timeout-ms key pass"
    " keepalive-time limit-rate local-port output output-dir rate retry-delay retry-max-time "
    "speed-limit"
    " speed-time stderr tls-max tls13-ciphers trace trace-ascii write-out parallel-max proto "
    "proto-default proto-redir"
    " curves alt-svc hsts etag-save".split()
)
_LEFT_OUT = frozenset(
    "cacert capath config connect-to continue-at crlfile dns-servers doh-url etag-compare "
    "interface max-filesize max-redirs netrc-file"
    " proxy-user resolve time-cond unix-socket".split()
)
"""What changes the request or what comes of it, and has no word in the format: left out with its
value, and that is said."""
_LEFT_OUT_SHORT = {"C": "continue-at", "K": "config", "U": "proxy-user", "z": "time-cond"}


def looks_curl(text: str) -> bool:
    """Whether a text begins like a curl line, also with a prompt before it or the program's whole
    path."""
    return _PROGRAM.match(text) is not None


def read_curl(text: str) -> Pasted:
    """The requests of a curl command. Raises Unreadable: a quote is open, no address."""
    try:
        words = words_of(_PROGRAM.sub("", text, count=1))
    except Unclosed as problem:
        raise Unreadable(f"this curl line cannot be read: {problem}") from None
    pasted = Pasted()
    for part in _parts(words):
        _Command(pasted).read(part)
    if not pasted.steps:
        raise Unreadable("this curl line has no address to send to")
    return pasted


def _parts(words: list[str]) -> list[list[str]]:
    """Several commands in one, between `--next`."""
    parts: list[list[str]] = [[]]
    for word in words:
        if word in ("--next", "-:"):
            parts.append([])
        else:
            parts[-1].append(word)
    return parts


class _Command(Struct):
    """What the words of one command say, until its requests can be made of it."""

    pasted: Pasted
    addresses: list[str] = field(default_factory=list)
    method: str = ""
    headers: list[tuple[str, str]] = field(default_factory=list)
    removed: set[str] = field(default_factory=set)
    data: list[str] = field(default_factory=list)
    """What goes into the body, each with what joins it to what stands before: `&`, or nothing
    between JSON texts."""
    file: str = ""
    parts: list[Part] = field(default_factory=list)
    url_query: list[str] = field(default_factory=list)
    json: bool = False
    globs: bool = True
    in_query: bool = False
    digest: bool = False
    head: bool = False
    upload: str = ""
    step: RequestStep = field(default_factory=RequestStep)

    def read(self, words: list[str]) -> None:
        waiting = deque(words)
        plain_only = False
        while waiting:
            word = waiting.popleft()
            if plain_only or not word.startswith("-") or word == "-":
                self.addresses.append(word)
            elif word == "--":
                plain_only = True
            elif word.startswith("--"):
                name, equals, value = word[2:].partition("=")
                self._option(name, value if equals else None, waiting, word)
            else:
                self._letters(word[1:], waiting)
        self._make()

    def _letters(self, letters: str, waiting: deque[str]) -> None:
        """Short options that stand together: `-sSLd text`, `-XPOST`."""
        while letters:
            letter, letters = letters[0], letters[1:]
            name = _SHORT.get(letter)
            if name is None:
                if letter in _LEFT_OUT_SHORT or letter in _QUIET_SHORT_WITH:
                    if not letters:
                        _next(waiting)
                    letters = ""
                    if letter in _LEFT_OUT_SHORT:
                        self.pasted.say(f"-{letter} ({_LEFT_OUT_SHORT[letter]}) was left out.")
                elif letter not in _QUIET_SHORT:
                    self.pasted.say(f"-{letter} is not known here, and was left out.")
                continue
            if name in _FLAGS:
                _FLAGS[name](self)
                continue
            value = letters or _next(waiting)
            letters = ""
            _VALUED[name](self, value)

    def _option(self, name: str, value: str | None, waiting: deque[str], word: str) -> None:
        if name in _FLAGS:
            _FLAGS[name](self)
        elif name in _VALUED:
            _VALUED[name](self, _next(waiting) if value is None else value)
        elif name in _QUIET_WITH or name in _LEFT_OUT:
            if value is None:
                _next(waiting)
            if name in _LEFT_OUT:
                self.pasted.say(f"--{name} was left out.")
        elif name not in _QUIET:
            self.pasted.say(f"{word} is not known here, and was left out.")

    # ---- what each option does

    def header(self, text: str) -> None:
        if text.startswith("@"):
            self.pasted.say(f"The headers in the file {text[1:]} were left out.")
            return
        name, colon, value = text.partition(":")
        if not colon:
            name, semicolon, _ = text.partition(";")
            if semicolon:
                self.headers.append((name.strip(), ""))
            return
        if value.strip():
            self.headers.append((name.strip(), value.strip()))
        else:
            self.removed.add(name.strip().lower())

    def cookie(self, text: str) -> None:
        if "=" in text:
            self.headers.append(("Cookie", text))
        else:
            self.pasted.say(f"The cookies in the file {text} were left out.")

    def add_data(self, text: str) -> None:
        if text.startswith("@"):
            self._from_file(
                text[1:], "curl takes the line breaks out of it, which is not done here"
            )
        else:
            self._add(text)

    def add_octets(self, text: str) -> None:
        if text.startswith("@"):
            self._from_file(text[1:])
        else:
            self._add(text)

    def add_raw(self, text: str) -> None:
        self._add(text)

    def _add(self, text: str, joint: str = "&") -> None:
        self.data += [joint, text] if self.data else [text]

    def add_encoded(self, text: str) -> None:
        name, equals, content = text.partition("=")
        at = text.find("@")
        if at >= 0 and (not equals or at < text.find("=")):
            self.pasted.say(f"The file {text[at + 1 :]} was left out: it would have to be encoded.")
        else:
            self._add(
                (f"{name}=" if equals and name else "")
                + quote_plus(content if equals else text, safe="-._~")
            )

    def add_json(self, text: str) -> None:
        self.json = True
        if text.startswith("@"):
            self._from_file(text[1:])
        else:
            self._add(text, "")

    def _from_file(self, path: str, otherwise: str = "") -> None:
        if self.data or self.file:
            self.pasted.say(f"The file {path} was left out: it is sent together with other data.")
            return
        self.file = path
        self.pasted.needs_file(path)
        if otherwise:
            self.pasted.say(f"Of the file {path}: {otherwise}.")

    def add_form(self, text: str, plain: bool = False) -> None:
        name, _, content = text.partition("=")
        if not plain and content[:1] in ("@", "<"):
            path, *more = content[1:].split(";")
            given = dict(item.strip().partition("=")[::2] for item in more)
            path = path.strip('"')
            self.pasted.needs_file(path)
            called = given.get("filename", "").strip('"')
            if called and called != path.rpartition("/")[2]:
                self.pasted.say(f"It is sent under its own name, not as {called}.")
            if content[:1] == "<":
                self.pasted.say(
                    f"curl sends what the file {path} holds as the text of {name}; here it goes "
                    "as a file."
                )
            self.parts.append(Part(name, file=path, media_type=given.get("type", "")))
            return
        content, _, kind = content.partition(";type=") if not plain else (content, "", "")
        self.parts.append(
            Part(name, text=content.strip('"') if not plain else content, media_type=kind)
        )

    def add_query(self, text: str) -> None:
        before, at, path = text.partition("@")
        if at and "=" not in before and not text.startswith("+"):
            self.pasted.say(f"The file {path} was left out: what it holds would go into the query.")
        else:
            self.url_query.append(text)

    def upload_file(self, path: str) -> None:
        self.upload = path
        self.pasted.needs_file(path)

    def sign_in(self, text: str) -> None:
        user, _, password = text.partition(":")
        self.step.auth = {"basic": [user, password]}

    def bearer(self, text: str) -> None:
        self.step.auth = {"bearer": text}

    def max_time(self, text: str) -> None:
        try:
            self.step.options["timeout"] = f"{float(text):g} s"
        except ValueError:
            self.pasted.say(f"--max-time {text} is no number of seconds, and was left out.")

    def retries(self, text: str) -> None:
        if text.isdigit():
            self.step.options["retries"] = min(int(text), 10)

    def proxy(self, text: str) -> None:
        self.step.options["proxy"] = text if "://" in text else f"http://{text}"

    def certificate(self, text: str) -> None:
        self.pasted.say(
            f"The client certificate {text.partition(':')[0]} was left out; bring its file into "
            "the project, then add it to the options."
        )

    # ---- the requests

    def _make(self) -> None:
        if not self.addresses:
            return
        if len(self.pasted.steps) + len(self.addresses) > MOST_STEPS:
            raise Unreadable(
                f"this curl line has more than {MOST_STEPS} addresses; is a quote missing?"
            )
        body = "".join(self.data)
        if self.data and self.file:
            self.pasted.say(
                f"{body[:60]} was left out: it is sent together with the file {self.file}."
            )
        has_body = bool(self.data or self.file or self.parts)
        in_query = self.in_query or (self.head and has_body and not self.method)
        step = self.step
        step.method = self.method or (
            "HEAD"
            if self.head
            else "PUT"
            if self.upload
            else "POST"
            if has_body and not in_query
            else "GET"
        )
        step.options.setdefault("follow redirects", False)
        if step.options["follow redirects"]:
            del step.options["follow redirects"]
        if self.digest and "basic" in step.auth:
            step.auth = {"digest": step.auth["basic"]}
        step.headers = [pair for pair in self.headers if pair[0].lower() not in self.removed]
        if self.json:
            step.default_header("Content-Type", "application/json")
            step.default_header("Accept", "application/json")
        step.sign_in_of_header()
        media = step.media_type() or "application/x-www-form-urlencoded"
        if self.parts:
            step.multipart(self.parts)
        elif self.upload or (self.file and not in_query):
            step.file_body(self.upload or self.file, step.media_type() if self.upload else media)
        elif self.data and not in_query:
            step.text_body(body, media)
        query = [*([body] if in_query and body else []), *map(url_query, self.url_query)]
        if (
            self.method
            and self.step.options.get("follow redirects", True)
            and has_body
            and self.method != "GET"
        ):
            self.pasted.say(
                f"After a redirect curl would send {self.method} again, since -X says so; here it "
                "goes on as browsers do."
            )
        host = next((value for name, value in self.headers if name.lower() == "host"), "")
        addresses = [
            one
            for address in self.addresses
            for one in (globbed(address) if self.globs else [address])
        ]
        if len(self.pasted.steps) + len(addresses) > MOST_STEPS:
            raise Unreadable(f"this curl line means more than {MOST_STEPS} addresses")
        for address in addresses:
            full = address if "://" in address else f"http://{address}"
            if self.upload and full.partition("?")[0].endswith("/"):
                full = with_name(full, self.upload)
            if host and host.lower() != urlsplit(full).netloc.lower():
                self.pasted.say(
                    f"The header Host: {host} was left out: the host is that of the address."
                )
            self.pasted.steps.append(step.document(with_query(full, query)))


def _next(waiting: deque[str]) -> str:
    return waiting.popleft() if waiting else ""


def _set(name: str, value: object) -> Callable[[_Command], None]:
    return lambda command: setattr(command, name, value)


def _option(name: str, value: object) -> Callable[[_Command], None]:
    return lambda command: command.step.options.__setitem__(name, value)


_FLAGS: dict[str, Callable[[_Command], None]] = {
    "get": _set("in_query", True),
    "head": _set("head", True),
    "digest": _set("digest", True),
    "basic": _set("digest", False),
    "globoff": _set("globs", False),
    "insecure": _option("verify tls", False),
    "location": _option("follow redirects", True),
    "location-trusted": _option("follow redirects", True),
    "ntlm": lambda command: command.pasted.say("--ntlm is not known here, and was left out."),
}
_VALUED: dict[str, Callable[[_Command, str], None]] = {
    "url": lambda command, text: command.addresses.append(text),
    "request": lambda command, text: setattr(command, "method", text.upper()),
    "header": _Command.header,
    "user-agent": lambda command, text: command.headers.append(("User-Agent", text)),
    "referer": lambda command, text: command.headers.append(
        ("Referer", text.removesuffix(";auto"))
    ),
    "cookie": _Command.cookie,
    "data": _Command.add_data,
    "data-ascii": _Command.add_data,
    "data-binary": _Command.add_octets,
    "data-raw": _Command.add_raw,
    "data-urlencode": _Command.add_encoded,
    "json": _Command.add_json,
    "form": _Command.add_form,
    "form-string": lambda command, text: command.add_form(text, plain=True),
    "url-query": _Command.add_query,
    "upload-file": _Command.upload_file,
    "user": _Command.sign_in,
    "oauth2-bearer": _Command.bearer,
    "max-time": _Command.max_time,
    "retry": _Command.retries,
    "proxy": _Command.proxy,
    "range": lambda command, text: command.headers.append(("Range", f"bytes={text}")),
    "cert": _Command.certificate,
}
