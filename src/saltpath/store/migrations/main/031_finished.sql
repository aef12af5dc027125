-- Runs that have ended are summed up in the order in which they did (runner/summing.py).
CREATE INDEX run_by_finish ON run (finished_at) WHERE kind = 'run' AND finished_at IS NOT NULL
