-- Runs that remove what another run made and left.
CREATE TABLE removal (
    run INTEGER PRIMARY KEY REFERENCES run, of_run INTEGER NOT NULL REFERENCES run, project INTEGER NOT NULL REFERENCES project
);
CREATE INDEX removal_by_run ON removal (of_run);
