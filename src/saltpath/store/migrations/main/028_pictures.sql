-- Addresses of the picture of how a project or a suite stands, for pages elsewhere; the hash of each is stored.
CREATE TABLE picture (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, hash BLOB NOT NULL UNIQUE, project INTEGER NOT NULL REFERENCES project,
    suite INTEGER REFERENCES suite ON DELETE CASCADE, environment TEXT NOT NULL, person INTEGER NOT NULL REFERENCES person, made_at INTEGER NOT NULL
);
CREATE INDEX picture_by_project ON picture (project);
