-- Causes that are known: by their signatures (core/running/causes.py), with who looks after them, and until which day. `cases`: those that it was met in, against
-- `environment`, when it was marked; `gone`: it is known no more, unless that is undone.
CREATE TABLE known (
    id INTEGER PRIMARY KEY AUTOINCREMENT, project INTEGER NOT NULL REFERENCES project, signature TEXT NOT NULL, verdict TEXT NOT NULL,
    sentence TEXT NOT NULL, owner TEXT NOT NULL, note TEXT NOT NULL, until TEXT NOT NULL, cases TEXT NOT NULL, environment TEXT NOT NULL,
    actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL, gone INTEGER NOT NULL DEFAULT 0
);
CREATE UNIQUE INDEX known_once ON known (project, signature)
