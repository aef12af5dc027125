"""What helps the one who writes cases, and the engine never imports: what is wrong before a run
(`inspect.py`), the outline, differences, coverage, proposals, completion, recordings, values lifted
out of cases, steps made shared. Each module is asked for by its own name."""
