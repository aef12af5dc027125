-- Causes that are known: by their signatures (core/running/causes.py), with who looks after them, and until which day. `cases`: those that it was met in when it was marked.
CREATE TABLE known (
    id INTEGER PRIMARY KEY AUTOINCREMENT, project INTEGER NOT NULL REFERENCES project, signature TEXT NOT NULL, verdict TEXT NOT NULL,
    sentence TEXT NOT NULL, owner TEXT NOT NULL, note TEXT NOT NULL, until TEXT NOT NULL, cases TEXT NOT NULL, actor INTEGER NOT NULL REFERENCES person,
    at INTEGER NOT NULL
);
CREATE UNIQUE INDEX known_once ON known (project, signature)
