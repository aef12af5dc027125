"""Getting in: who asks (`callers`), in which browser (`cookies`), by which password (`passwords`)
and code (`codes`), and how often that may be tried (`delays`). What each may do then stands in
`server/rights.py`."""
