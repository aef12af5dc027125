"""What a stay costs: by length, tonnage, nights and season. Exact decimals in FHC."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal
from typing import Any

CENT = Decimal("0.01")
SEASONS = {"summer": Decimal("1.25"), "winter": Decimal("0.80"), "between": Decimal("1.00")}


def quote(length: Decimal, tonnage: Decimal, nights: int, season: str) -> dict[str, Any]:
    """`{lines: [{code, text, amount}], total, currency}`; the total is the sum of the lines."""
    factor = SEASONS[season]
    lines = [
        _line("QUAY", "Quay dues by length", length * Decimal("6.40") * nights * factor),
        _line("TON", "Tonnage dues", tonnage * Decimal("0.18")),
        _line("WASTE", "Waste reception", Decimal("42.00")),
    ]
    if length > 90:
        lines.append(_line("PILOT", "Two pilots for long vessels", Decimal("310.00")))
    total = sum((line["amount"] for line in lines), Decimal(0))
    return {"lines": lines, "total": total, "currency": "FHC", "season": season, "nights": nights}


def _line(code: str, text: str, amount: Decimal) -> dict[str, Any]:
    return {"code": code, "text": text, "amount": amount.quantize(CENT, ROUND_HALF_UP)}
