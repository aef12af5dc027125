-- What the failures of a run are cases of, by their signatures (core/running/causes.py), and where each was: a step, or (step -1) a row or case that never came to one.
CREATE TABLE cause (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL, run INTEGER NOT NULL, signature TEXT NOT NULL, facts TEXT NOT NULL
);
CREATE UNIQUE INDEX cause_once ON cause (run, signature);
CREATE TABLE failure (
    run INTEGER NOT NULL, position INTEGER NOT NULL, row INTEGER NOT NULL, part TEXT NOT NULL, step INTEGER NOT NULL, inner TEXT NOT NULL,
    project INTEGER NOT NULL, cause INTEGER NOT NULL, said TEXT NOT NULL, PRIMARY KEY (run, position, row, part, step, inner)
) WITHOUT ROWID;
CREATE INDEX failure_by_cause ON failure (run, cause, position, row)
