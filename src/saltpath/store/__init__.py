"""SQLite by plain SQL: `database.py` opens and migrates, then one module per noun. SQL stands here
alone.

Two files: `saltpath.db` holds documents, runs and history; `evidence.db` holds what the runs saw,
and can be dropped without touching history. Times are integer microseconds UTC.
"""
