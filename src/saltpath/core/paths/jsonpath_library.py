"""The rest of RFC 9535, by jsonpath-rfc9535: functions, slices, unions, longer filters. Imported
only when needed.

The library compares floats; so it walks a copy in which decimals are floats, and what it found is
read from the real document by location. Its `match` and `search` have no time limit, so they are
replaced.
"""

from __future__ import annotations

from decimal import Decimal
from typing import Any, NamedTuple

from iregexp_check import check as is_iregexp
from jsonpath_rfc9535 import JSONPathEnvironment, JSONPathError
from jsonpath_rfc9535.function_extensions import ExpressionType, FilterFunction

from saltpath.core.paths import offloading
from saltpath.core.paths.patterns import PatternError, compile_pattern
from saltpath.core.values.errors import SaltPathError

PATTERN_LIMIT_S = 0.1


class Refused(SaltPathError, ValueError):
    """The text is not a JSONPath."""

    code = "no-path"


class Found(NamedTuple):
    location: tuple[str | int, ...]
    value: Any


class Compiled:
    """A path that the library evaluates."""

    def __init__(self, query: Any) -> None:
        self._query = query

    def find(self, document: Any) -> list[Found]:
        found = []
        for node in self._query.finditer(_with_floats(document)):
            value = document
            for key in node.location:
                value = value[key]
            found.append(Found(tuple(node.location), value))
        return found


class _Search(FilterFunction):
    """`search` and `match` of RFC 9535 (I-Regexp, RFC 9485) with a limit on each search."""

    arg_types = [ExpressionType.VALUE, ExpressionType.VALUE]
    return_type = ExpressionType.LOGICAL

    def __init__(self, whole: bool) -> None:
        self._whole = whole

    def __call__(self, value: object, pattern: object) -> bool:
        if not isinstance(value, str) or not isinstance(pattern, str) or not is_iregexp(pattern):
            return False
        try:
            compiled = compile_pattern(_dot_as_rfc9485(pattern))
        except PatternError:
            return False
        search = compiled.fullmatch if self._whole else compiled.search
        limit_s = offloading.GLANCE_S if offloading.is_deferred() else PATTERN_LIMIT_S
        try:
            return search(value, timeout=limit_s, concurrent=True) is not None
        except TimeoutError:
            from saltpath.core.paths.time_limit import TimeUp

            raise TimeUp from None


def _dot_as_rfc9485(pattern: str) -> str:
    """In I-Regexp a dot outside a class matches all but line feed and carriage return."""
    out: list[str] = []
    in_class = escaped = False
    for char in pattern:
        if escaped:
            escaped = False
        elif char == "\\":
            escaped = True
        elif char == "[":
            in_class = True
        elif char == "]":
            in_class = False
        elif char == "." and not in_class:
            out.append(r"(?:(?![\r\n])\P{Cs}|\p{Cs}\p{Cs})")
            continue
        out.append(char)
    return "".join(out)


_environment = JSONPathEnvironment()
_environment.function_extensions["match"] = _Search(whole=True)
_environment.function_extensions["search"] = _Search(whole=False)


def compile_path(text: str) -> Compiled:
    try:
        return Compiled(_environment.compile(text))
    except JSONPathError as problem:
        raise Refused(str(problem).split("\n")[0]) from None
    except RecursionError:
        raise Refused("it is nested too deeply") from None


def _with_floats(value: Any) -> Any:
    if isinstance(value, Decimal):
        return float(value)
    if isinstance(value, dict):
        return {key: _with_floats(item) for key, item in value.items()}
    if isinstance(value, list):
        return [_with_floats(item) for item in value]
    return value
