"""`python -m bench.suites`: how right we are on public suites and files, beside the libraries, in
one run (tests/need-public-files)."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
from referencing import Registry
from referencing.jsonschema import EMPTY_REGISTRY

from bench.tables import tables
from saltpath.core.schemas import Dialect, Unusable, compile_schema
from saltpath.core.values import plain
from tests.public_files import public_files

DRAFTS: dict[str, tuple[Dialect, Any]] = {
    "draft4": (Dialect(4), jsonschema.Draft4Validator),
    "draft6": (Dialect(6), jsonschema.Draft6Validator),
    "draft7": (Dialect(7), jsonschema.Draft7Validator),
    "draft2019-09": (Dialect(2019), jsonschema.Draft201909Validator),
    "draft2020-12": (Dialect(2020), jsonschema.Draft202012Validator),
}
Judge = Callable[[Any, Any], bool]


def schemas() -> None:
    """The official suite of JSON Schema, what each draft requires, with the suite's remotes for
    both."""
    folder = public_files("jsonschema") / "json"
    remotes = folder / "remotes"
    by_address = {
        f"http://localhost:1234/{file.relative_to(remotes).as_posix()}": file.read_bytes()
        for file in remotes.rglob("*.json")
    }
    ours_others = {address: plain.read_json(octets) for address, octets in by_address.items()}
    for name, (dialect, library) in DRAFTS.items():
        files = sorted((folder / "tests" / name).glob("*.json"))
        registry = _registry(
            {address: json.loads(octets) for address, octets in by_address.items()}, library
        )

        def ours(schema: Any, value: Any, dialect: Dialect = dialect) -> bool:
            return compile_schema(
                schema, others=ours_others, dialect=dialect, formats=frozenset()
            ).holds(value)

        def theirs(schema: Any, value: Any, kind: Any = library, registry: Any = registry) -> bool:
            return bool(kind(schema, registry=registry).is_valid(value))

        right, of, seconds = _counted(files, plain.read_json, ours)
        library_right, _, library_seconds = _counted(files, json.loads, theirs)
        print(
            f"JSON Schema {name}: {right} of {of}, the library {library_right}; "
            f"time {seconds / library_seconds:.2f} of the library's, compiling each anew"
        )


def _registry(documents: dict[str, Any], library: Any) -> Registry[Any]:
    from referencing.jsonschema import specification_with

    known = EMPTY_REGISTRY
    otherwise = specification_with(str(library.META_SCHEMA.get("$schema")))
    return known.with_contents(documents.items(), default_specification=otherwise)


def _counted(
    files: list[Path], read: Callable[[bytes], Any], holds: Judge
) -> tuple[int, int, float]:
    """Right, all, seconds."""
    right = of = 0
    begun = time.perf_counter()
    for file in files:
        for group in read(file.read_bytes()):
            for case in group["tests"]:
                of += 1
                try:
                    right += holds(group["schema"], case["data"]) == case["valid"]
                except (Unusable, Exception):
                    continue
    return right, of, time.perf_counter() - begun


if __name__ == "__main__":
    here = Path(__file__).resolve().parents[1]
    subprocess.run(
        ["sh", here / "tests/need-public-files", sys.executable, "bench/public-files.txt"],
        check=True,
    )
    schemas()
    tables()
