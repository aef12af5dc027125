"""The engine runs cases: one HTTP exchange after another, checks, keeps, afterwards; a stream of events comes out.

`run.py` walks a plan, `step.py` carries out one step, `client.py` speaks HTTP, `events.py` is what leaves the engine.
It knows nothing of the store, the server or the terminal.
"""
