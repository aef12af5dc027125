-- Watches: each is a document of the project; what became of them stands in history.db. `stem`: the name of its file.
CREATE TABLE watch (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, project INTEGER NOT NULL REFERENCES project, key TEXT NOT NULL, stem TEXT NOT NULL,
    name TEXT NOT NULL, document TEXT NOT NULL, comments TEXT NOT NULL DEFAULT '{}', version INTEGER NOT NULL DEFAULT 1,
    actor INTEGER NOT NULL REFERENCES person, made_at INTEGER NOT NULL, gone_at INTEGER
);
CREATE INDEX watch_by_project ON watch (project, stem);
