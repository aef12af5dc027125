-- When somebody was last here, and when before that: a visit ends after half an hour without a look.
CREATE TABLE visit (
    person INTEGER NOT NULL REFERENCES person, project INTEGER NOT NULL REFERENCES project, at INTEGER NOT NULL, before INTEGER NOT NULL,
    PRIMARY KEY (person, project)
) WITHOUT ROWID;
-- Who edited what lately, without a look at the documents.
CREATE INDEX case_revision_by_time ON case_revision (project, at, actor)
