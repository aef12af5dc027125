-- Where people are told of watches: by mail or by webhook. `document` says how; the password, or the key that signs, is a secret (secrets.py).
CREATE TABLE route (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, project INTEGER NOT NULL REFERENCES project, name TEXT NOT NULL, document TEXT NOT NULL,
    version INTEGER NOT NULL DEFAULT 1, actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL, gone INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX route_by_project ON route (project);
