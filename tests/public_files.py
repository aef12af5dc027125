"""Files of other people's packages that are read as data (tests/need-public-files)."""

import unittest
from pathlib import Path

FOLDER = Path(__file__).resolve().parents[1] / ".public-files"


def public_files(package: str) -> Path:
    """The folder of an unpacked source package; the test is skipped where it is not there."""
    found = next(iter(sorted(FOLDER.glob(f"{package}==*"))), None)
    if found is None:
        raise unittest.SkipTest(
            f"{package} is not unpacked: sh tests/need-public-files .venv/bin/python"
        )
    return found
