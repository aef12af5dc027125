"""Plain values: what JSON can say, with exact numbers. Kinds, equality, how a value is shown, exact
JSON in and out.

A plain value is None, bool, int, Decimal, str, list or dict with str keys; never float. Numbers
keep their written form (`1318.40` stays `1318.40`), and compare by value.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from contextvars import ContextVar
from decimal import (
    MAX_EMAX,
    MAX_PREC,
    MIN_EMIN,
    Context,
    Decimal,
    Inexact,
    InvalidOperation,
    Overflow,
    Underflow,
)
from typing import Any

import msgspec
from msgspec import Struct

from saltpath.core.values.errors import SaltPathError

type_names = {
    "null": "null",
    "boolean": "a boolean",
    "integer": "an integer",
    "number": "a number",
    "text": "text",
    "list": "a list",
    "object": "an object",
}

_exact = Context(
    prec=MAX_PREC,
    Emax=MAX_EMAX,
    Emin=MIN_EMIN,
    traps=[InvalidOperation, Overflow, Underflow, Inexact],
).create_decimal
"""A number as it is written; a third quicker than Decimal's own constructor."""
_decoder = msgspec.json.Decoder(float_hook=_exact)
_encoder = msgspec.json.Encoder(decimal_format="number")
_HALF = re.compile(rb"\\u[dD][89a-fA-F]")
"""The escape of a surrogate."""
MOST_DIGITS = 1000
MOST_EXPONENT = 400
_LEAST_EXPONENT = -MOST_EXPONENT
SHORT_BITS = 3000
SHORT_BYTES = 400
"""A decimal of up to so many bytes has far fewer digits than too many; sizing is cheap, counting
digits is not."""


class NotPlain(SaltPathError, ValueError):
    """Text that is not JSON, or that is nested too deeply (`too_deep`)."""

    code = "not-json"

    def __init__(self, problem: str, too_deep: bool = False) -> None:
        super().__init__(problem)
        self.too_deep = too_deep


def read_json(text: str | bytes) -> Any:
    """Read JSON with exact numbers. Raises NotPlain; never returns a float (RFC 8259)."""
    try:
        return _decoder.decode(text)
    except msgspec.DecodeError as problem:
        return _read_patiently(text, problem)
    except RecursionError:
        raise NotPlain("nested too deeply", too_deep=True) from None
    except UnicodeDecodeError:
        raise NotPlain("it is not UTF-8") from None
    except ArithmeticError:
        raise NotPlain("a number's exponent has too many digits") from None


def _read_patiently(text: str | bytes, problem: msgspec.DecodeError) -> Any:
    """The fast reader refuses numbers of thousands of digits and escapes of half a character (RFC
    8259, 8.2); the standard library's is told to keep them. `NaN` and `Infinity`, which that one
    would take, are no JSON."""
    octets = text.encode("utf-8", "surrogatepass") if isinstance(text, str) else text
    if "out of range" not in str(problem) and not _HALF.search(octets):
        raise NotPlain(str(problem).replace("JSON is malformed: ", "")) from None
    import json

    try:
        found = json.loads(
            octets.decode(), parse_float=_exact, parse_int=_whole, parse_constant=_refused
        )
    except UnicodeDecodeError:
        raise NotPlain("it is not UTF-8") from None
    except (ValueError, RecursionError, ArithmeticError) as second:
        raise NotPlain(str(second)) from None
    return with_whole_texts(found)


def read_json_by(text: str, pairs: Callable[[list[tuple[str, Any]]], Any]) -> Any:
    """As `read_json`, slower, with what `pairs` makes of the names and values of each object.
    Raises NotPlain."""
    import json

    try:
        return json.loads(
            text,
            object_pairs_hook=pairs,
            parse_float=_exact,
            parse_int=_whole,
            parse_constant=_refused,
        )
    except (ValueError, RecursionError, ArithmeticError) as problem:
        raise NotPlain(str(problem)) from None


def _whole(digits: str) -> int | Decimal:
    """An integer; Python's own takes no more digits."""
    return int(digits) if len(digits) <= 4_000 else Decimal(digits)


def _refused(constant: str) -> Any:
    raise ValueError(f"{constant} is no JSON")


def whole_text(text: str) -> str:
    """The text as UTF-8 can hold it: half of a pair of surrogates stands as its escape, `\\ud800`.
    The same object where nothing does."""
    if text.isascii():
        return text
    try:
        text.encode()
    except UnicodeEncodeError:
        return text.encode("utf-8", "backslashreplace").decode()
    return text


def with_whole_texts(value: Any) -> Any:
    """A plain value whose texts, and names in objects, UTF-8 can hold."""
    if isinstance(value, str):
        return whole_text(value)
    if isinstance(value, list) or type(value) is tuple:
        return [with_whole_texts(item) for item in value]
    if isinstance(value, dict):
        return {whole_text(str(name)): with_whole_texts(item) for name, item in value.items()}
    return value


def write_json(value: Any) -> bytes:
    """Compact JSON, numbers exactly as kept; a text that UTF-8 cannot hold as `whole_text` writes
    it."""
    try:
        return _encoder.encode(value)
    except UnicodeEncodeError:
        return _encoder.encode(with_whole_texts(value))
    # integers beyond the printing limit never come from us; say it rather than lose it
    except ValueError:
        raise NotPlain("a number with too many digits") from None


def kind_of(value: Any) -> str:
    """null, boolean, integer, number, text, list or object. 15.0 is an integer."""
    if value is None:
        return "null"
    if value is True or value is False:
        return "boolean"
    if isinstance(value, str):
        return "text"
    if isinstance(value, int):
        return "integer"
    if isinstance(value, Decimal):
        if abs(value.adjusted()) > MOST_EXPONENT:
            return "number"
        return "integer" if value == value.to_integral_value() else "number"
    return "list" if isinstance(value, list) else "object"


def is_number(value: Any) -> bool:
    return isinstance(value, (int, Decimal)) and not isinstance(value, bool)


def number_in(text: str) -> int | Decimal | None:
    """The number that the whole text is, in JSON's or a plain decimal notation; None if it is
    none."""
    stripped = text.strip()
    if not stripped or len(stripped) > MOST_DIGITS + 20 or stripped[-1] not in "0123456789.":
        return None
    try:
        return (
            int(stripped)
            if stripped.lstrip("+-").isdigit() and stripped.isascii()
            else _decimal(stripped)
        )
    except (ValueError, ArithmeticError):
        return None


def _decimal(text: str) -> Decimal | None:
    value = Decimal(text) if "_" not in text else None
    return value if value is not None and value.is_finite() else None


def is_short(value: int | Decimal) -> bool:
    """Whether a number is surely not too long; a quick look that may say no to one that is just
    fit."""
    if isinstance(value, int):
        return value.bit_length() <= SHORT_BITS
    return (
        _LEAST_EXPONENT <= value.adjusted() <= MOST_EXPONENT and value.__sizeof__() <= SHORT_BYTES
    )


def too_long(value: int | Decimal) -> bool:
    """A number over 1,000 digits or with an exponent beyond 400 is not compared."""
    if isinstance(value, int):
        return value.bit_length() > 3322
    if not -MOST_EXPONENT <= value.adjusted() <= MOST_EXPONENT:
        return True
    return value.__sizeof__() > SHORT_BYTES and len(value.as_tuple().digits) > MOST_DIGITS


def same(left: Any, right: Any) -> bool:
    """Equal as JSON: kinds are strict, numbers by value, objects in any order."""
    if type(left) is type(right) and not isinstance(left, (list, dict)):
        return bool(left == right)
    if is_number(left) and is_number(right):
        return bool(left == right)
    if isinstance(left, list) and isinstance(right, list):
        return len(left) == len(right) and all(map(same, left, right))
    if isinstance(left, dict) and isinstance(right, dict):
        return left.keys() == right.keys() and all(
            same(value, right[key]) for key, value in left.items()
        )
    return False


def as_text(value: Any) -> str:
    """How a value enters text: numbers as written, lists and objects as compact JSON."""
    if isinstance(value, str):
        return value
    if value is True:
        return "true"
    if value is False:
        return "false"
    if isinstance(value, (int, Decimal)):
        return str(value)
    if isinstance(value, Beginning):
        return value.text
    return write_json(value).decode()


class Beginning(Struct, frozen=True):
    """What is left of a value that was too long to keep: how its text begins (`beginning`)."""

    text: str


def beginning(value: Any, most: int) -> Any:
    """The value if its text has at most so many characters (of a list or an object written
    already), else what shows as it does as far as that: the first characters of a text, or a
    Beginning."""
    if isinstance(value, str):
        return value if len(value) <= most else value[:most]
    if isinstance(value, (list, dict)):
        written = write_json(value)
        if len(written) <= most:
            return msgspec.Raw(written)
        # at most four octets a character
        return Beginning(written[: 4 * most].decode(errors="ignore")[:most])
    if isinstance(value, Decimal) and value.__sizeof__() > most // 2:
        text = str(value)
        return value if len(text) <= most else Beginning(text[:most])
    return value


masking: ContextVar[Callable[[str], str] | None] = ContextVar("masking", default=None)
"""What is done with a text before it is cut, where the values at hand may hold secrets: half of one
could not be found any more."""


def show(value: Any, most: int = 120) -> str:
    """A value in a sentence: text in quotation marks, all else as JSON, cut at `most` characters,
    secrets masked before."""
    text = (
        f"“{value}”" if isinstance(value, str) else as_text(value) if value is not None else "null"
    )
    return text if len(text) <= most else cut(text, most)


def cut(text: str, most: int) -> str:
    """The beginning of a text, of so many characters; secrets are masked in the whole of it
    before."""
    mask = masking.get()
    if mask is not None and len(text) > most:
        text = mask(text)
    return text if len(text) <= most else text[: most - 1] + "…"


def with_kind(value: Any) -> str:
    return type_names[kind_of(value)]
