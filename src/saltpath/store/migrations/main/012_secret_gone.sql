CREATE TABLE secret_gone (
    id INTEGER PRIMARY KEY AUTOINCREMENT, project INTEGER NOT NULL REFERENCES project, suite TEXT NOT NULL, environment TEXT NOT NULL, name TEXT NOT NULL,
    sealed BLOB NOT NULL, actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL, gone_at INTEGER NOT NULL
);
CREATE INDEX secret_gone_by_age ON secret_gone (project, gone_at)
