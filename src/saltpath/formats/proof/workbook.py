"""A supplier report as a workbook, to reckon with; only the page can be checked."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from saltpath.core.proof.verify import available
from saltpath.formats.proof.record import Proof, claims_of
from saltpath.formats.workbook import write_values_xlsx

Row = dict[str, Any]


def write(proof: Proof) -> bytes:
    watches, outages, hours = list[Row](), list[Row](), list[Row]()
    for one in proof.watches:
        said = claims_of(one, proof.end)
        row: Row = {
            "watch": one.name,
            "supplier": one.supplier,
            "from": _utc(proof.begin),
            "to": _utc(proof.end),
            "available": available(said),
            "promised": one.available,
            "good seconds": said["good_s"],
            "bad seconds": said["bad_s"],
            "left out seconds": said["left_s"],
            "runs": said["runs"],
            "bad runs": said["bad"],
            "median ms": said["median_us"] / 1000,
            "95th percentile ms": said["p95_us"] / 1000,
        }
        for limit, some, of in said["within"]:
            row[f"within {limit / 1e6:g} s"] = some / of if of else None
        watches.append(row)
        about = {outage.began: outage for outage in one.outages}
        for began, ended, bad in said["outages"]:
            outages.append(
                {
                    "watch": one.name,
                    "began": _utc(began),
                    "ended": _utc(ended) if ended else "",
                    "seconds": ended - began if ended else None,
                    "bad runs": bad,
                    "why": about[began].cause if began in about else "",
                    "note": about[began].note if began in about else "",
                }
            )
        hours += [
            {
                "watch": one.name,
                "hour": _utc(hour.hour * 3600),
                "runs": len(hour.runs),
                "records": hour.number,
                "root": hour.root.hex(),
                "head": hour.head.hex(),
            }
            for hour in one.hours
        ]
    tables = [("Watches", watches), ("Outages", outages), ("Sealed hours", hours)]
    return write_values_xlsx([(name, rows) for name, rows in tables if rows])


def _utc(second: int) -> str:
    return datetime.fromtimestamp(second, UTC).isoformat(timespec="seconds").replace("+00:00", "Z")
