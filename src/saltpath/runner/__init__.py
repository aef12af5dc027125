"""The processes that carry runs out. `supervisor.py` starts and watches all of them; `worker.py` is
a runner: it takes jobs, drives the engine and hands what happened to the writer (`writer.py`), the
one process that records it.

Between a runner and the writer lies a socket with numbered messages (`wire.py`). The writer
acknowledges a number once it is committed; what was not acknowledged is sent again after a break,
and rows are inserted once.
"""
