CREATE TABLE output_row (
    run INTEGER NOT NULL, tab TEXT NOT NULL, position INTEGER NOT NULL, place TEXT NOT NULL, project INTEGER NOT NULL, cells TEXT NOT NULL,
    PRIMARY KEY (run, tab, position, place)
) WITHOUT ROWID;
CREATE INDEX output_row_by_table ON output_row (project, tab, run);
