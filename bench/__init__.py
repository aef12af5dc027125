"""The measurements of the bars: each a command, `python -m bench.NAME`. Ratios within one run,
medians of several."""
