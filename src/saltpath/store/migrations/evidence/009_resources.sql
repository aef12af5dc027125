-- What the exchanges of steps made at a service, and took away (core/running/resources.py).
CREATE TABLE resource (
    run INTEGER NOT NULL, position INTEGER NOT NULL, row INTEGER NOT NULL, part TEXT NOT NULL, step INTEGER NOT NULL, inner TEXT NOT NULL,
    attempt INTEGER NOT NULL, nth INTEGER NOT NULL, project INTEGER NOT NULL, event TEXT NOT NULL,
    PRIMARY KEY (run, position, row, part, step, inner, attempt, nth)
) WITHOUT ROWID;
