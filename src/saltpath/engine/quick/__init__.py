"""What is fast for its own sake, behind the plain way, which is `engine/step.py` with
`engine/sending.py`: read that first. Each thing here does what the plain way does, in cases that
are sure and come most often; `tests/engine/test_quick_ways.py` holds both to the same outcomes, and
`docs/development/performance.md` says what each saves.
"""
