"""Pipes on numbers, exact: sums and products keep every digit, quotients 34."""

from __future__ import annotations

import decimal
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from saltpath.core.references.pipes.table import Unfit, list_of, pipe
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable

_EXACT = decimal.Context(prec=3000, rounding=decimal.ROUND_HALF_UP, Emax=10_000, Emin=-10_000)
_QUOTIENT = decimal.Context(prec=34, rounding=decimal.ROUND_HALF_UP, Emax=10_000, Emin=-10_000)
MOST_PLACES = 400


def number_of(value: Any) -> int | Decimal:
    """The input of a number pipe. Raises Unfit."""
    if not plain.is_number(value):
        raise Unfit(f"it is {plain.with_kind(value)}, not a number; put | number before it")
    if plain.too_long(value):
        raise Unfit(
            "a number with more than 1,000 digits or an exponent beyond 400 is not computed with"
        )
    return value  # type: ignore[no-any-return]


def _tidy(value: Decimal) -> int | Decimal:
    """A result as a tester writes it: no exponent for a whole number."""
    exponent = value.as_tuple().exponent
    if value == value.to_integral_value() and exponent > 0:  # type: ignore[operator]
        return int(value)
    return value


def _read_number(name: str) -> Callable[[str], tuple[Any, ...]]:
    def read(rest: str) -> tuple[Any, ...]:
        found = plain.number_in(rest)
        if found is None:
            raise Unreadable(f"{name} is written: {name} 2; found {rest!r}")
        return (found,)

    return read


def _arithmetic(
    name: str,
    about: str,
    work: Callable[[Decimal, Decimal], Decimal],
    example: tuple[Any, str, Any],
) -> None:
    @pipe(name, about, example, f"{name} N", _read_number(name))
    def _apply(value: Any, other: Any) -> Any:
        left, right = number_of(value), number_of(other)
        try:
            result = work(Decimal(left), Decimal(right))
        except decimal.DecimalException:
            raise Unfit("there is no such number") from None
        whole = isinstance(left, int) and isinstance(right, int)
        return int(result) if whole and result == result.to_integral_value() else _tidy(result)


_arithmetic("plus", "so much more", _EXACT.add, (Decimal("0.1"), "plus 0.2", Decimal("0.3")))
_arithmetic("minus", "so much less", _EXACT.subtract, (2, "minus 1", 1))
_arithmetic(
    "times", "so many times", _EXACT.multiply, (Decimal("23.4"), "times 2", Decimal("46.8"))
)


def _divide(left: Decimal, right: Decimal) -> Decimal:
    if right == 0:
        raise Unfit("nothing can be divided by 0")
    return _QUOTIENT.divide(left, right)


_arithmetic(
    "divided by", "a part of it; 34 digits are kept", _divide, (1, "divided by 4", Decimal("0.25"))
)


def _read_places(rest: str) -> tuple[Any, ...]:
    if not rest.isdigit() or int(rest) > MOST_PLACES:
        raise Unreadable(f"round is written: round 2, the number of decimals; found {rest!r}")
    return (int(rest),)


@pipe(
    "round",
    "to so many decimals, a half away from zero",
    (Decimal("1.005"), "round 2", Decimal("1.01")),
    "round N",
    _read_places,
)
def _round(value: Any, places: int) -> Any:
    number = number_of(value)
    if isinstance(number, int) or -number.as_tuple().exponent <= places:  # type: ignore[operator]
        return number
    rounded = _EXACT.quantize(number, Decimal(1).scaleb(-places))
    return int(rounded) if places == 0 else rounded


def _numbers(value: Any) -> list[Decimal]:
    return [Decimal(number_of(item)) for item in list_of(value)]


@pipe(
    "sum",
    "all numbers of a list together",
    ([Decimal("0.1"), Decimal("0.2")], "sum", Decimal("0.3")),
    each=False,
)
def _sum(value: Any) -> Any:
    total = Decimal(0)
    for number in _numbers(value):
        total = _EXACT.add(total, number)
    return int(total) if all(isinstance(item, int) for item in value) else _tidy(total)


def _of_some(
    name: str, about: str, choose: Callable[[list[Any]], Any], example: tuple[Any, str, Any]
) -> None:
    @pipe(name, about, example, each=False)
    def _apply(value: Any) -> Any:
        numbers = [number_of(item) for item in list_of(value)]
        if not numbers:
            raise Unfit("the list is empty")
        return choose(numbers)


def _mean(numbers: list[Any]) -> Any:
    total = Decimal(0)
    for number in numbers:
        total = _EXACT.add(total, Decimal(number))
    mean = _QUOTIENT.divide(total, Decimal(len(numbers)))
    return int(mean) if mean == mean.to_integral_value() else mean


_of_some("smallest", "the smallest number of a list", min, ([3, 1, 2], "smallest", 1))
_of_some("largest", "the largest number of a list", max, ([3, 1, 2], "largest", 3))
_of_some("mean", "the numbers' mean; 34 digits are kept", _mean, ([1, 2], "mean", Decimal("1.5")))
