"""The engine runs cases: one HTTP exchange after another, checks, keeps, afterwards; a stream of
events comes out.

`run.py` walks a plan (core/running/plan.py), `step.py` carries out one step, `client.py` speaks
HTTP; what leaves the engine are the events of core/running/events.py. It knows nothing of the
store, the server or the terminal.
"""
