-- What a step saw once, against which what it sees later is packed, in whichever run.
CREATE TABLE base (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL, name TEXT NOT NULL, packed BLOB NOT NULL, last_run INTEGER NOT NULL
);
CREATE INDEX base_by_name ON base (project, name, id);
CREATE INDEX base_by_run ON base (last_run);
ALTER TABLE step ADD COLUMN against INTEGER
