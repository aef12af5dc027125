"""Salt Path's tests. `python -m tests [NAME...]` runs them all, or those whose module's name holds
NAME."""
