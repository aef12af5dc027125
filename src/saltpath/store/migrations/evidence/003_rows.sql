CREATE TABLE run_row (
    run INTEGER NOT NULL, position INTEGER NOT NULL, row INTEGER NOT NULL, project INTEGER NOT NULL, verdict TEXT NOT NULL,
    us INTEGER NOT NULL, at INTEGER NOT NULL, why TEXT, data TEXT NOT NULL, PRIMARY KEY (run, position, row)
) WITHOUT ROWID;
CREATE INDEX run_row_by_verdict ON run_row (run, position, verdict);
ALTER TABLE step ADD COLUMN size INTEGER NOT NULL DEFAULT 0;
