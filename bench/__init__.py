"""The measurements of the bars: each a command, `python -m bench.NAME`. Ratios within one run,
medians of several."""

import os

from saltpath.demo.harbour.feeds import CALM

os.environ.setdefault(CALM, "1")
