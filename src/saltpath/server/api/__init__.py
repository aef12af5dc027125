"""One blueprint per noun. Each answers JSON; what an endpoint takes and gives is declared above its
view (`declared.py`), the shapes stand in `shapes/`."""
