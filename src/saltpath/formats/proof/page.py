"""A supplier report as one HTML file: it can be read, printed, and checked with nothing but
Python. There is no script in it, and every text is escaped."""

from __future__ import annotations

import base64
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from html import escape
from typing import Any
from zoneinfo import ZoneInfo

from saltpath.core.proof.verify import printed
from saltpath.core.values.measures import show_duration
from saltpath.formats.proof.record import Outage, Proof, Seen, Watched, claims_of, packed
from saltpath.formats.terminal import printable

POLICY = "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'"
LARGEST = 6_000
"""Octets of what was sent and received that are shown of a record; it is in the file whole."""
STYLE = """
body { font: 14px/1.5 sans-serif; color: #1e2b31; margin: 0 auto; max-width: 980px; padding: 24px }
h1 { font-size: 22px; margin: 0 } h2 { font-size: 17px; margin: 28px 0 4px; color: #1f5f66 }
h3 { font-size: 14px; margin: 14px 0 4px } p { margin: 4px 0 } .muted { color: #5c6970 }
table { border-collapse: collapse; margin: 8px 0; width: 100% }
th, td { text-align: left; padding: 4px 14px 4px 0; border-bottom: 1px solid #e3ddd2; vertical-align: top }
th { font-weight: 400; color: #5c6970 } .bad { color: #b43e26 } pre { white-space: pre-wrap;
overflow-wrap: anywhere; background: #fbfaf6; border: 1px solid #e3ddd2; padding: 8px; font-size: 12px }
code { font-size: 12px; overflow-wrap: anywhere } details { margin: 4px 0 }
@media print { body { padding: 0 } details { display: none } h2 { break-after: avoid } tr { break-inside: avoid } }
"""  # noqa: E501
METHOD = (
    "A watch runs at moments that are drawn within each of its intervals, so that no trouble that "
    "comes at fixed times is missed or met each time. What became of a run holds from when it was "
    "due until the next one was. A run is bad if a check does not hold, if it could not be carried "
    "out, or if it took longer than the limit.",
    "Availability is the good time, divided by the good and the bad time. Agreed maintenance, "
    "time in which nobody watched, and runs whose trouble was on the watching side are left out "
    "of both. Sampled each T seconds with K outages the bad time is right within about "
    "1.96 · T · √(K / 6), for outages longer than T.",
    "An outage begins with the first of several bad runs in a row, and ends with the first of the "
    "good runs after it that it takes; single bad runs use up time, and are no outage. A "
    "percentile is the time of rank ⌈q · n⌉ of all n answers.",
)

CHECKED = (
    "This file holds every run of its time, sealed hour by hour in a chain of hashes (SHA-256; RFC "
    "9162, 2.1). Nobody can alter, leave out, move or add a run, or what the first bad run of an "
    "outage saw, without another last head. Check it offline, with nothing but Python: "
    "<code>python3 verify.py REPORT.html</code>. That file comes with Salt Path, is short, and can "
    "be read; give it <code>--head</code> with a head that you were sent at the time."
)


def write(proof: Proof) -> Iterator[bytes]:
    """The whole file, in pieces."""
    title = f"Availability{f' of {proof.supplier}' if proof.supplier else ''}"
    yield (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{_text(title)}</title>'
        f'<meta http-equiv="Content-Security-Policy" content="{POLICY}">'
        f"<style>{STYLE}</style></head><body><h1>{_text(title)}</h1>"
        f"<p>{_text(proof.project)}, {_moment(proof, proof.begin)} to {_moment(proof, proof.end)}; "
        f"made {_moment(proof, proof.made)}. All times are by the clocks of {_text(proof.zone)}, "
        "UTC beside them where it matters.</p>"
    ).encode()
    yield _summary(proof).encode()
    for one in proof.watches:
        yield from (piece.encode() for piece in _watch(proof, one))
    yield _end(proof).encode()


def _summary(proof: Proof) -> str:
    rows = []
    for one in proof.watches:
        said = claims_of(one, proof.end)
        values = printed(said)
        promised = f"{100 * one.available:.4g} %" if one.available is not None else "nothing"
        counted = said["good_s"] + said["bad_s"]
        missed = one.available is not None and counted and said["good_s"] / counted < one.available
        cells = "".join(
            f'<td data-said="{one.key} {name}">{values[name]}</td>'
            for name in ("available", "outages", "downtime")
        )
        rows.append(
            f"<tr><td>{_text(one.name)}</td>{cells}<td>{promised}</td>"
            f'<td class="{"bad" if missed else ""}">{"missed" if missed else "held" if one.available else ""}</td></tr>'  # noqa: E501
        )
    return (
        "<table><thead><tr><th>watch</th><th>available</th><th>outages</th><th>bad time</th>"
        f"<th>promised</th><th></th></tr></thead><tbody>{''.join(rows)}</tbody></table>"
    )


def _watch(proof: Proof, one: Watched) -> Iterator[str]:
    said = claims_of(one, proof.end)
    values = printed(said)
    yield f"<h2>{_text(one.name)}</h2><p>{_text(one.what)}</p>"
    facts = [
        ("available", "available"),
        ("bad time", "downtime"),
        ("runs", "runs"),
        ("of these bad", "bad"),
        ("usual time of an answer", "median"),
        ("95 of 100 answers within", "p95"),
    ]
    rows = [
        f'<tr><th>{label}</th><td data-said="{one.key} {name}">{values[name]}</td><td></td></tr>'
        for label, name in facts
    ]
    for limit, promised in zip(one.within, one.promised, strict=True):
        wanted = "each is to be" if promised is None else f"{100 * promised:.4g} % were promised"
        rows.append(
            f"<tr><th>answers within {show_duration(limit)}</th>"
            f'<td data-said="{one.key} within {limit}">{values[f"within {limit}"]}</td>'
            f"<td>{wanted}</td></tr>"
        )
    left = said["left_s"]
    rows.append(f"<tr><th>left out of both</th><td>{left} s</td><td></td></tr>")
    yield f"<table><tbody>{''.join(rows)}</tbody></table>"
    if one.maintenance:
        spans = "; ".join(
            f"{_moment(proof, begin)} to {_moment(proof, end)}" for begin, end in one.maintenance
        )
        yield f"<p>Agreed maintenance within this time: {spans}.</p>"
    yield from _outages(proof, one, said, values)


def _outages(
    proof: Proof, one: Watched, said: dict[str, Any], values: dict[str, str]
) -> Iterator[str]:
    if not said["outages"]:
        yield "<p>No outage.</p>"
        return
    about = {outage.began: outage for outage in one.outages}
    seen = {record.due: record for record in one.seen}
    yield "<h3>Outages</h3><table><thead><tr><th>began</th><th>ended</th><th>lasted</th><th>why</th></tr></thead><tbody>"  # noqa: E501
    for number, (began, ended, _) in enumerate(said["outages"]):
        outage = about.get(began, Outage(began, ""))
        note = f'<br><span class="muted">{_text(outage.note)}</span>' if outage.note else ""
        yield (
            f"<tr><td>{_moment(proof, began)}<br>{_utc(began)}</td>"
            f"<td>{f'{_moment(proof, ended)}<br>{_utc(ended)}' if ended else 'it lasts'}</td>"
            f'<td data-said="{one.key} outage {number}">{values[f"outage {number}"]}</td>'
            f"<td>{_text(outage.cause)}{note}</td></tr>"
        )
    yield "</tbody></table>"
    for began, _, _ in said["outages"]:
        if began in seen:
            yield _record(seen[began])


def _record(seen: Seen) -> str:
    """The exchange with which it began to go wrong."""
    record = json.loads(seen.data)
    bad = [step for step in record["steps"] if step["verdict"] in ("failed", "blocked")]
    shown = (bad or record["steps"])[:1]
    parts = []
    for step in shown:
        why = f": {_text(step['why'])}" if step["why"] else ""
        parts.append(f"<p>{_text(step['name'])} {step['verdict']}{why}</p>")
        for exchange in step["exchanges"][-1:]:
            parts.append(f"<pre>{_octets(exchange['sent'])}</pre>")
            parts.append(f"<pre>{_octets(exchange['received']) or 'no answer'}</pre>")
    return (
        f"<details><summary>What the first bad run saw, {_utc(seen.due)}</summary>"
        f"{''.join(parts)}</details>"
    )


def _octets(encoded: str) -> str:
    data = base64.b64decode(encoded)
    text = printable(data[:LARGEST].decode("utf-8", "replace"))
    more = f"\n… {len(data) - LARGEST} octets more" if len(data) > LARGEST else ""
    return escape(text + more)


def _end(proof: Proof) -> str:
    heads = "".join(
        f"<tr><td>{_text(one.name)}</td><td>{len(one.hours)}</td>"
        f"<td><code>{one.hours[-1].head.hex() if one.hours else 'none'}</code></td></tr>"
        for one in proof.watches
    )
    method = "".join(f"<p>{_text(text)}</p>" for text in METHOD)
    return (
        f"<h2>How it was measured</h2>{method}<h2>How it is checked</h2><p>{CHECKED}</p>"
        "<table><thead><tr><th>watch</th><th>sealed hours</th><th>last head</th></tr></thead>"
        f"<tbody>{heads}</tbody></table>"
        f'<script type="application/octet-stream" id="record">{packed(proof)}</script>'
        "</body></html>\n"
    )


def _text(text: str) -> str:
    return escape(printable(text))


def _moment(proof: Proof, second: int) -> str:
    try:
        zone = ZoneInfo(proof.zone)
    except (KeyError, ValueError, OSError):
        zone = ZoneInfo("UTC")
    return f"{datetime.fromtimestamp(second, zone):%-d %b %Y %H:%M}"


def _utc(second: int) -> str:
    return f'<span class="muted">{datetime.fromtimestamp(second, UTC):%H:%M:%S} UTC</span>'
