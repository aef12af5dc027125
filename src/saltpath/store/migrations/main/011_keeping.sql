CREATE TABLE keeping (
    project INTEGER PRIMARY KEY REFERENCES project, rules TEXT NOT NULL, actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL
);
ALTER TABLE run ADD COLUMN evidence TEXT NOT NULL DEFAULT 'kept';
CREATE INDEX run_by_age ON run (project, kind, finished_at) WHERE state = 'finished'
