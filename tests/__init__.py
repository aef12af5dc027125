"""Salt Path's tests. `python -m tests [NAME...]` runs them all, or those whose module's name holds
NAME."""

import os

from saltpath.demo.harbour.feeds import CALM

os.environ.setdefault(CALM, "1")
