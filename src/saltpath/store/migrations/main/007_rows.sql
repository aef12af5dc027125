CREATE TABLE file_version (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL REFERENCES project, path TEXT NOT NULL, size INTEGER NOT NULL,
    hash TEXT NOT NULL, octets BLOB, actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL
);
CREATE INDEX file_version_by_path ON file_version (project, path, id);
INSERT INTO file_version (project, path, size, hash, octets, actor, at)
    SELECT project, path, length(octets), '', octets, actor, at FROM project_file;
DROP TABLE project_file;
CREATE TABLE project_file (
    project INTEGER NOT NULL REFERENCES project, path TEXT NOT NULL, version INTEGER NOT NULL REFERENCES file_version,
    PRIMARY KEY (project, path)
) WITHOUT ROWID;
INSERT INTO project_file (project, path, version) SELECT project, path, max(id) FROM file_version GROUP BY project, path;
ALTER TABLE run_case ADD COLUMN begun INTEGER NOT NULL DEFAULT 0;
ALTER TABLE run_case ADD COLUMN rows TEXT
