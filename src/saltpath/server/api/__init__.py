"""One blueprint per noun. Each answers JSON; the shapes stand in `shapes.py`, the operations in
`openapi.py`."""
