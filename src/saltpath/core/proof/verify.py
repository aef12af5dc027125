#!/usr/bin/env python3
"""Checks a report of Salt Path, offline and with nothing but Python (3.8 or later):

    python3 verify.py REPORT.html [--head HASH]

What it does can be read here from top to bottom. A report holds, for each watch, every run of its
time (when it was due, what became of it, how long it took), hour by hour; and of runs that went
wrong what was sent and came back. Each hour is sealed by a *head*:

    head = SHA-256("saltpath chain 1" 00 | head before | hour | number of records | root | runs)

`runs` is the SHA-256 of the hour's runs, `root` that of the hour's records in a Merkle tree (RFC
9162, 2.1.1: leaves begin with 00, nodes with 01, a tree is split at the largest power of two below
its size). So no run, and no record, can be altered, left out, moved or added without another head;
and since each head holds the one before, no hour either. Heads are sent out as time goes on: give
one that you received by --head, and all up to it stood so when it was sent.

What the report says (how much of the time was good, which outages there were) is then worked out
anew from the runs, and held against what is printed.
"""

from __future__ import annotations

import base64
import hashlib
import json
import re
import struct
import sys
import zlib
from typing import Any, Iterable, Iterator, Sequence  # noqa: UP035  3.8 reads this

FORM = "saltpath report 1"
RUN = struct.Struct(">QBHI")
"""A run: when it was due (seconds since 1970), its flag, how late it began (ms), how long it took
(microseconds)."""
FATES = (
    "passed",
    "failed",
    "blocked",
    "unchecked",
    "not watched",
    "slow",
    "skipped",
    "interrupted",
)
PASSED, FAILED, BLOCKED, UNCHECKED, NOT_WATCHED, SLOW, SKIPPED, INTERRUPTED = range(8)
"""The lowest three bits of a flag. A run's fate holds until the next one's."""
ANSWERED, MAINTENANCE, OWN_SIDE, KEPT = 8, 16, 32, 128
"""Bits of a flag: it has a time; it fell into agreed maintenance; it was the watching side's fault;
what it saw was kept."""
NOTHING = bytes(32)
HOUR = 3600
_RECORD = re.compile(r'<script type="application/octet-stream" id="record">([^<]*)</script>')
_PRINTED = re.compile(r'<(?:td|span|strong) data-said="([^"]*)">([^<]*)<')


# ---- hashes


def leaf_hash(record: bytes) -> bytes:
    return hashlib.sha256(b"\0" + record).digest()


def root_of(leaves: Sequence[bytes]) -> bytes:
    """The root of a Merkle tree over the hashes of its leaves (RFC 9162, 2.1.1)."""
    if not leaves:
        return hashlib.sha256(b"").digest()
    if len(leaves) == 1:
        return leaves[0]
    split = 1
    while split * 2 < len(leaves):
        split *= 2
    left, right = root_of(leaves[:split]), root_of(leaves[split:])
    return hashlib.sha256(b"\1" + left + right).digest()


def runs_hash(runs: Iterable[tuple[int, int, int, int]]) -> bytes:
    return hashlib.sha256(b"saltpath runs 1\0" + b"".join(RUN.pack(*run) for run in runs)).digest()


def head_of(before: bytes, hour: int, count: int, root: bytes, runs: bytes) -> bytes:
    fixed = struct.pack(">32sQQ32s32s", before, hour, count, root, runs)
    return hashlib.sha256(b"saltpath chain 1\0" + fixed).digest()


def canonical(record: Any) -> bytes:
    """The one form in which a record is hashed."""
    return json.dumps(record, sort_keys=True, separators=(",", ":"), ensure_ascii=True).encode()


# ---- what runs add up to


def is_bad(flag: int) -> bool:
    return flag & 7 in (FAILED, BLOCKED, SLOW) and not flag & (MAINTENANCE | OWN_SIDE)


def is_left_out(flag: int) -> bool:
    """It is held against nobody: agreed, the watching side's own, or nothing is known."""
    return bool(flag & (MAINTENANCE | OWN_SIDE)) or flag & 7 not in (PASSED, FAILED, BLOCKED, SLOW)


def seconds(runs: Sequence[tuple[int, int, int, int]], end: int) -> tuple[int, int, int]:
    """How long it was good, bad, and neither, from the first run on."""
    held = [run for run in runs if run[1] & 7 != SKIPPED]  # what was skipped holds nothing
    good = bad = neither = 0
    for place, (due, flag, _, _) in enumerate(held):
        until = held[place + 1][0] if place + 1 < len(held) else end
        length = max(min(until, end) - due, 0)
        if is_bad(flag):
            bad += length
        elif is_left_out(flag):
            neither += length
        else:
            good += length
    return good, bad, neither


def outages(
    runs: Sequence[tuple[int, int, int, int]], bad_runs: int, good_runs: int
) -> list[tuple[int, int, int]]:
    """From the first of so many bad runs in a row to the first of so many good ones: (began, ended
    or 0, bad runs). What is held against nobody breaks no row and begins none."""
    found: list[tuple[int, int, int]] = []
    row: list[int] = []
    good: list[int] = []
    number = began = 0
    for due, flag, _, _ in runs:
        if is_left_out(flag):
            continue
        if is_bad(flag):
            row.append(due)
            good = []
            number += 1 if began else 0
            if not began and len(row) >= bad_runs:
                began, number = row[0], len(row)
        elif began:
            good.append(due)
            if len(good) >= good_runs:
                found.append((began, good[0], number))
                began, row, good = 0, [], []
        else:
            row = []
    if began:
        found.append((began, 0, number))
    return found


def rank(times: Sequence[int], share: float) -> int:
    """The time of rank ceil(share n)."""
    ordered = sorted(times)
    place = -(-round(share * len(ordered) * 10**9) // 10**9)
    return ordered[min(max(place, 1), len(ordered)) - 1] if ordered else 0


def claims(
    runs: Sequence[tuple[int, int, int, int]], end: int, rule: Sequence[int], within: Sequence[int]
) -> dict[str, Any]:
    """What a report says of a watch, from its runs. `rule`: bad and good runs in a row; `within`:
    limits in microseconds of which the share is asked."""
    good, bad, neither = seconds(runs, end)
    ran = [run for run in runs if run[1] & 7 not in (NOT_WATCHED, SKIPPED)]
    times = [us for _, flag, _, us in runs if flag & ANSWERED]
    return {
        "runs": len(ran),
        "bad": sum(is_bad(flag) for _, flag, _, _ in runs),
        "good_s": good,
        "bad_s": bad,
        "left_s": neither,
        "median_us": rank(times, 0.5),
        "p95_us": rank(times, 0.95),
        "within": [[limit, sum(us <= limit for us in times), len(times)] for limit in within],
        "outages": [list(one) for one in outages(runs, *rule)],
    }


def available(said: dict[str, Any]) -> str:
    """The share of the time that counts in which it was good, as it is printed."""
    counted = said["good_s"] + said["bad_s"]
    return f"{100 * said['good_s'] / counted:.4f} %" if counted else "nothing is known"


def printed(said: dict[str, Any]) -> dict[str, str]:
    """What a report prints of its claims."""
    found = {
        "available": available(said),
        "runs": str(said["runs"]),
        "bad": str(said["bad"]),
        "median": f"{said['median_us'] / 1000:.1f} ms",
        "p95": f"{said['p95_us'] / 1000:.1f} ms",
        "outages": str(len(said["outages"])),
        "downtime": f"{said['bad_s']} s",
    }
    for limit, some, of in said["within"]:
        found[f"within {limit}"] = f"{100 * some / of:.3f} %" if of else "no answers"
    for number, (began, ended, bad) in enumerate(said["outages"]):
        lasted = f"{ended - began} s" if ended else "it lasts"
        found[f"outage {number}"] = f"{lasted}, {bad} bad runs"
    return found


# ---- checking


def record_in(page: str) -> Any:
    """What a report holds. Raises ValueError for what is none."""
    found = _RECORD.search(page)
    if found is None:
        raise ValueError("this is no report of Salt Path: it holds no record")
    record = json.loads(zlib.decompress(base64.b64decode(found[1])))
    if record.get("form") != FORM:
        raise ValueError(f"this file checks “{FORM}”; the report is “{record.get('form')}”")
    return record


def runs_in(hour: dict[str, Any]) -> list[tuple[int, int, int, int]]:
    return list(RUN.iter_unpack(base64.b64decode(hour["runs"])))


def faults(page: str) -> Iterator[str]:
    """What is wrong with a report, a sentence each; nothing of one that is as it was made."""
    record = record_in(page)
    said = {name.replace("&quot;", '"'): text for name, text in _PRINTED.findall(page)}
    for watch in record["watches"]:
        name = watch["name"]
        for fault in _faults_of(watch, record["from"], record["to"]):
            yield f"{name}: {fault}"
        runs = [run for hour in watch["hours"] for run in runs_in(hour)]
        worked_out = claims(runs, record["to"], watch["rule"], watch["within"])
        if watch["claims"] != worked_out:
            differ = [key for key in worked_out if watch["claims"].get(key) != worked_out[key]]
            yield f"{name}: what is said of it does not follow from its runs: {', '.join(differ)}"
        for key, text in printed(worked_out).items():
            there = said.get(f"{watch['key']} {key}")
            if there != text:
                yield f"{name}: the page says {there!r} for {key}, where its runs say {text!r}"


def _faults_of(watch: dict[str, Any], begin: int, end: int) -> Iterator[str]:
    before = bytes.fromhex(watch["before"])
    evidence = {(one["hour"], one["place"]): one for one in watch["evidence"]}
    if len(evidence) != len(watch["evidence"]):
        yield "a record stands in it twice"
    last_due = last_hour = 0
    for hour in watch["hours"]:
        at, runs = hour["hour"], runs_in(hour)
        when = moment(at * HOUR)
        if at <= last_hour:
            yield f"{when}: this hour is not in its place"
        last_hour = at
        for due, _, _, _ in runs:
            if not at * HOUR <= due < (at + 1) * HOUR or not begin <= due < end:
                yield f"{when}: the run that was due {moment(due)} is not of this hour"
            if due < last_due:
                yield f"{when}: the run that was due {moment(due)} is not in its place"
            last_due = max(last_due, due)
        root = bytes.fromhex(hour["root"])
        leaves = [bytes.fromhex(leaf) for leaf in hour.get("leaves", ())]
        if leaves and (len(leaves) != hour["count"] or root_of(leaves) != root):
            yield f"{when}: the hashes of its records are not those that were sealed"
        head = head_of(before, at, hour["count"], root, runs_hash(runs))
        if head.hex() != hour["head"]:
            yield f"{when}: this hour's runs, or those of an hour before it, were altered"
        before = bytes.fromhex(hour["head"])
        mine = {place: evidence.pop((at, place), None) for place in range(len(leaves))}
        for place, one in mine.items():
            if one is not None:
                fault = _fault_of_record(one, leaves[place], at)
                if fault:
                    yield f"{when}: {fault}"
        yield from _left_out(watch, runs, mine)
    for hour_of, place in evidence:
        yield f"{moment(hour_of * HOUR)}: record {place} belongs to no sealed hour: it was added"


def _fault_of_record(one: dict[str, Any], leaf: bytes, hour: int) -> str:
    text = one["record"].encode()
    try:
        record = json.loads(text)
        whole = canonical(record) == text and isinstance(record, dict)
        due = record.get("due") if whole else None
    except ValueError:
        whole, due = False, None
    if not whole or not isinstance(due, int):
        return f"record {one['place']} is not in its one form: it was altered"
    if leaf_hash(text) != leaf:
        return f"what the run of {moment(due)} saw was altered, or stands in another's place"
    if not hour * HOUR <= due < (hour + 1) * HOUR:
        return f"what the run of {moment(due)} saw stands in another hour"
    return ""


def _left_out(
    watch: dict[str, Any], runs: Sequence[tuple[int, int, int, int]], mine: dict[int, Any]
) -> Iterator[str]:
    """First bad runs of outages whose record was kept and is not there."""
    there = {json.loads(one["record"]).get("due") for one in mine.values() if one is not None}
    firsts = {began for began, _, _ in watch["claims"]["outages"]} - set(watch["gone"])
    for due, flag, _, _ in runs:
        if due in firsts and flag & KEPT and due not in there:
            yield f"{moment(due)}: what the first bad run of this outage saw was left out"


def moment(second: int) -> str:
    """2026-11-30 14:00:00 UTC."""
    from datetime import datetime, timezone

    return f"{datetime.fromtimestamp(second, timezone.utc):%Y-%m-%d %H:%M:%S} UTC"  # noqa: UP017


def heads_in(record: Any) -> dict[str, list[str]]:
    return {watch["name"]: [hour["head"] for hour in watch["hours"]] for watch in record["watches"]}


def main(arguments: Sequence[str]) -> int:
    """0: all is as it was sealed; 1: something was altered; 2: it is no report."""
    given = list(arguments)
    wanted: list[str] = []
    while "--head" in given:
        place = given.index("--head")
        wanted += given[place + 1 : place + 2]
        del given[place : place + 2]
    if len(given) != 1:
        print(__doc__)
        return 2
    try:
        with open(given[0], encoding="utf-8") as file:
            page = file.read()
        record = record_in(page)
        wrong = list(faults(page))
    except (OSError, ValueError, KeyError, TypeError, zlib.error, struct.error) as problem:
        print(f"{given[0]} cannot be read as a report: {problem}")
        return 2
    for watch in record["watches"]:
        said = watch["claims"]
        print(f"{watch['name']}: {available(said)} of the time, {len(said['outages'])} outages")
        print(f"  {len(watch['hours'])} hours, {said['runs']} runs, last head", end=" ")
        print(watch["hours"][-1]["head"] if watch["hours"] else "none")
        for due in watch["gone"]:
            print(f"  what the first bad run of {moment(due)} saw is said to be kept no more")
    known = {head for heads in heads_in(record).values() for head in heads}
    for head in wanted:
        if head.lower() not in known:
            wrong.append(f"the head {head} is not among those of this report")
    for one in wrong:
        print(f"WRONG  {one}")
    print("Something is not as it was sealed." if wrong else "All is as it was sealed.")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
