CREATE TABLE sealed (
    project INTEGER NOT NULL REFERENCES project, suite TEXT NOT NULL DEFAULT '', environment TEXT NOT NULL, name TEXT NOT NULL,
    sealed BLOB NOT NULL, actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL,
    PRIMARY KEY (project, suite, environment, name)
) WITHOUT ROWID;
INSERT INTO sealed (project, suite, environment, name, sealed, actor, at)
    SELECT project, '', environment, name, sealed, actor, at FROM secret;
INSERT INTO sealed (project, suite, environment, name, sealed, actor, at)
    SELECT x.project, s.oid, x.environment, x.name, x.sealed, x.actor, x.at FROM secret x JOIN suite s ON s.project = x.project
    WHERE json_extract(s.document, '$.values."' || x.name || '".secret') = 1;
DROP TABLE secret;
ALTER TABLE sealed RENAME TO secret
