ALTER TABLE person ADD COLUMN sign_in TEXT;
ALTER TABLE person ADD COLUMN password TEXT;
ALTER TABLE person ADD COLUMN administrator INTEGER NOT NULL DEFAULT 0;
ALTER TABLE person ADD COLUMN ended_at INTEGER;
ALTER TABLE person ADD COLUMN second BLOB;
ALTER TABLE person ADD COLUMN second_step INTEGER NOT NULL DEFAULT 0;
UPDATE person SET administrator = 1 WHERE role = 'owner';
ALTER TABLE person DROP COLUMN role;
CREATE UNIQUE INDEX person_by_sign_in ON person (sign_in) WHERE sign_in IS NOT NULL;
CREATE TABLE membership (
    project INTEGER NOT NULL REFERENCES project, person INTEGER NOT NULL REFERENCES person, role TEXT NOT NULL,
    actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL, PRIMARY KEY (project, person)
) WITHOUT ROWID;
CREATE INDEX membership_by_person ON membership (person);
CREATE TABLE session (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, hash BLOB NOT NULL UNIQUE, person INTEGER NOT NULL REFERENCES person,
    made_at INTEGER NOT NULL, seen_at INTEGER NOT NULL, ends_at INTEGER NOT NULL, place TEXT NOT NULL, agent TEXT NOT NULL,
    way TEXT NOT NULL
);
CREATE INDEX session_by_person ON session (person);
CREATE TABLE link (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, hash BLOB NOT NULL UNIQUE, kind TEXT NOT NULL,
    person INTEGER REFERENCES person, project INTEGER REFERENCES project, role TEXT NOT NULL DEFAULT '',
    name TEXT NOT NULL DEFAULT '', administrator INTEGER NOT NULL DEFAULT 0, actor INTEGER REFERENCES person,
    made_at INTEGER NOT NULL, ends_at INTEGER NOT NULL, used_at INTEGER, used_by INTEGER REFERENCES person
);
CREATE TABLE access_key (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, hash BLOB NOT NULL UNIQUE, begins TEXT NOT NULL, name TEXT NOT NULL,
    person INTEGER NOT NULL REFERENCES person, project INTEGER REFERENCES project, scopes TEXT NOT NULL,
    made_at INTEGER NOT NULL, ends_at INTEGER NOT NULL, used_at INTEGER, used_from TEXT NOT NULL DEFAULT '', ended_at INTEGER
);
CREATE INDEX access_key_by_person ON access_key (person);
CREATE TABLE recovery_code (
    person INTEGER NOT NULL REFERENCES person, hash BLOB NOT NULL, PRIMARY KEY (person, hash)
) WITHOUT ROWID;
CREATE TABLE installation (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE audit (
    id INTEGER PRIMARY KEY AUTOINCREMENT, at INTEGER NOT NULL, person INTEGER REFERENCES person, way TEXT NOT NULL,
    place TEXT NOT NULL, project INTEGER REFERENCES project, operation TEXT NOT NULL, thing TEXT NOT NULL, about TEXT NOT NULL
);
CREATE INDEX audit_by_project ON audit (project, id);
CREATE INDEX audit_by_person ON audit (person, id);
CREATE TRIGGER audit_is_not_changed BEFORE UPDATE ON audit BEGIN SELECT RAISE(ABORT, 'what was written down stays as it is'); END;
CREATE TRIGGER audit_is_kept BEFORE DELETE ON audit WHEN OLD.at > (unixepoch() - 31536000) * 1000000 BEGIN SELECT RAISE(ABORT, 'what was written down is kept for a year'); END;
CREATE TABLE share (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, hash BLOB NOT NULL UNIQUE, run INTEGER NOT NULL REFERENCES run ON DELETE CASCADE,
    project INTEGER NOT NULL REFERENCES project, person INTEGER NOT NULL REFERENCES person, made_at INTEGER NOT NULL,
    ends_at INTEGER NOT NULL, used_at INTEGER, used INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX share_by_run ON share (run);
