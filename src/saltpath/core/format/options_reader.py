"""Values and options of any document: project, suite, environment, case, step."""

from __future__ import annotations

import re
from typing import Any

from saltpath.core.cases.case import NamedValues
from saltpath.core.cases.options import NO_OPTIONS, Certificate, Options
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, found
from saltpath.core.references.templates import NO_TEMPLATE, RESERVED, is_name
from saltpath.core.values import measures, plain

OPTION_KEYS = (
    "timeout",
    "follow redirects",
    "verify tls",
    "largest body",
    "retries",
    "retry after",
    "cookies",
    "fresh connection",
    "client certificate",
    "proxy",
    "at once per host",
    "per second",
    "namespaces",
    "trust redirects to",
)
_HOST = re.compile(r"(?:[A-Za-z0-9_.-]+|\[[0-9A-Fa-f:.]+\])(?::[0-9]{1,5})?")
MOST_RETRIES = 20
MOST_AT_ONCE = 256
LEAST_RATE, MOST_RATE = 0.01, 10_000


def named_values(reading: Reading, node: Node | None, path: str) -> NamedValues:
    """`values:` of any document. `{ secret: true }` names a value that files never hold."""
    if node is None:
        return NamedValues()
    if not isinstance(node.value, dict):
        reading.wrong(f"values must be a mapping of names; found {found(node)}", path, node.line)
        return NamedValues()
    values: dict[str, Any] = {}
    secret: set[str] = set()
    for name, child in node.value.items():
        line = node.keys.get(name, child.line)
        if not is_name(name):
            word = (
                "is a reserved word"
                if name in RESERVED
                else "begins with a letter and holds letters, digits, - and _"
            )
            reading.wrong(f"the name of a value {word}; found {name!r}", path, line)
        elif isinstance(child.value, dict) and "secret" in child.value:
            keys = reading.mapping(child, f"{path}.{name}", ("secret",), (), "a secret value")
            if reading.flag(keys.get("secret"), f"{path}.{name}", "secret"):
                secret.add(name)
        else:
            reading.tree(child, f"{path}.{name}")
            values[name] = child.data()
    return NamedValues(values, frozenset(secret))


def options(reading: Reading, node: Node | None, path: str) -> Options:
    if node is None:
        return NO_OPTIONS
    keys = reading.mapping(node, path, OPTION_KEYS, (), "options")

    def flag(name: str) -> bool | None:
        return None if name not in keys else reading.flag(keys[name], f"{path}.{name}", name)

    retries, also_sent = _retries(reading, keys.get("retries"), f"{path}.retries")
    proxy = keys.get("proxy")
    return Options(
        timeout_us=reading.measure(keys.get("timeout"), f"{path}.timeout", measures.duration),
        follow_redirects=flag("follow redirects"),
        verify_tls=flag("verify tls"),
        largest_body=reading.measure(
            keys.get("largest body"), f"{path}.largest body", measures.size
        ),
        retries=retries,
        retry_sent=also_sent,
        retry_after_us=reading.measure(
            keys.get("retry after"), f"{path}.retry after", measures.duration
        ),
        cookies=flag("cookies"),
        fresh_connection=flag("fresh connection"),
        certificate=_certificate(
            reading, keys.get("client certificate"), f"{path}.client certificate"
        ),
        proxy=None if proxy is None else reading.template(proxy, f"{path}.proxy", "proxy"),
        at_once=_whole(
            reading, keys.get("at once per host"), f"{path}.at once per host", MOST_AT_ONCE
        ),
        per_second=_rate(reading, keys.get("per second"), f"{path}.per second"),
        namespaces=_namespaces(reading, keys.get("namespaces"), f"{path}.namespaces"),
        trusted=_hosts(reading, keys.get("trust redirects to"), f"{path}.trust redirects to"),
    )


def _whole(reading: Reading, node: Node | None, path: str, most: int) -> int | None:
    if node is None:
        return None
    if isinstance(node.value, int) and not isinstance(node.value, bool) and 1 <= node.value <= most:
        return node.value
    reading.wrong(
        f"{path.rpartition('.')[2]} is a number from 1 to {most}; found {found(node)}",
        path,
        node.line,
    )
    return None


def _rate(reading: Reading, node: Node | None, path: str) -> float | None:
    if node is None:
        return None
    if plain.is_number(node.value) and LEAST_RATE <= node.value <= MOST_RATE:
        return float(node.value)
    reading.wrong(
        f"per second is a number from {LEAST_RATE} to {MOST_RATE}; found {found(node)}",
        path,
        node.line,
    )
    return None


def _retries(reading: Reading, node: Node | None, path: str) -> tuple[int | None, bool | None]:
    """A number, or `{ times: 2, also after sending: true }`."""
    if node is None:
        return None, None
    also_sent = None
    times = node
    if isinstance(node.value, dict):
        keys = reading.mapping(node, path, ("times", "also after sending"), (), "retries")
        also_sent = reading.flag(keys.get("also after sending"), path, "also after sending")
        times = keys.get("times", Node(None, node.line))
    if (
        isinstance(times.value, bool)
        or not isinstance(times.value, int)
        or not 0 <= times.value <= MOST_RETRIES
    ):
        reading.wrong(
            f"retries is a number from 0 to {MOST_RETRIES}; found {found(times)}", path, times.line
        )
        return None, also_sent
    return times.value, also_sent


def _certificate(reading: Reading, node: Node | None, path: str) -> Certificate | None:
    """The path of a PEM file, or `{ file, key, password }`."""
    if node is None:
        return None
    if not isinstance(node.value, dict):
        return Certificate(reading.text(node, path, "client certificate"))
    keys = reading.mapping(node, path, ("file", "key", "password"), (), "a client certificate")
    if "file" not in keys:
        reading.wrong("a client certificate needs file: a PEM file of the project", path, node.line)
    password = keys.get("password")
    return Certificate(
        reading.text(keys.get("file"), f"{path}.file", "file"),
        reading.text(keys.get("key"), f"{path}.key", "key"),
        NO_TEMPLATE
        if password is None
        else reading.template(password, f"{path}.password", "password"),
    )


def _hosts(reading: Reading, node: Node | None, path: str) -> tuple[str, ...] | None:
    if node is None:
        return None
    hosts = []
    for index, child in enumerate(reading.items(node, path, "trust redirects to")):
        host = reading.text(child, f"{path}[{index}]", "a host")
        if not _HOST.fullmatch(host):
            reading.wrong(
                f"a host is a name such as files.example or 127.0.0.1:8080; found {host!r}",
                path,
                child.line,
            )
        hosts.append(host.lower())
    return tuple(hosts)


def _namespaces(
    reading: Reading, node: Node | None, path: str
) -> tuple[tuple[str, str], ...] | None:
    if node is None:
        return None
    if not isinstance(node.value, dict):
        reading.wrong(
            f"namespaces must be a mapping of prefix: namespace; found {found(node)}",
            path,
            node.line,
        )
        return None
    return tuple(
        (prefix, reading.text(child, f"{path}.{prefix}", prefix))
        for prefix, child in node.value.items()
    )
