CREATE TABLE person (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, name TEXT NOT NULL, role TEXT NOT NULL, made_at INTEGER NOT NULL
);
CREATE TABLE project (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, name TEXT NOT NULL, document TEXT NOT NULL, version INTEGER NOT NULL,
    next_run INTEGER NOT NULL DEFAULT 1, actor INTEGER NOT NULL REFERENCES person, made_at INTEGER NOT NULL
);
CREATE TABLE environment (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL REFERENCES project, oid TEXT NOT NULL UNIQUE, name TEXT NOT NULL,
    document TEXT NOT NULL, version INTEGER NOT NULL, position INTEGER NOT NULL,
    actor INTEGER NOT NULL REFERENCES person, made_at INTEGER NOT NULL, UNIQUE (project, name)
);
CREATE TABLE suite (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL REFERENCES project, oid TEXT NOT NULL UNIQUE, name TEXT NOT NULL,
    folder TEXT NOT NULL, document TEXT NOT NULL, version INTEGER NOT NULL, position INTEGER NOT NULL,
    actor INTEGER NOT NULL REFERENCES person, made_at INTEGER NOT NULL, UNIQUE (project, folder)
);
CREATE TABLE test_case (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL REFERENCES project, suite INTEGER NOT NULL REFERENCES suite,
    oid TEXT NOT NULL UNIQUE, key TEXT NOT NULL, name TEXT NOT NULL, file TEXT NOT NULL, tags TEXT NOT NULL,
    position INTEGER NOT NULL, version INTEGER NOT NULL, made_at INTEGER NOT NULL, UNIQUE (project, key)
);
CREATE INDEX test_case_by_suite ON test_case (project, suite, position);
CREATE TABLE case_revision (
    test_case INTEGER NOT NULL REFERENCES test_case, version INTEGER NOT NULL, project INTEGER NOT NULL REFERENCES project,
    document TEXT NOT NULL, comments TEXT NOT NULL, used INTEGER NOT NULL DEFAULT 0,
    actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL, PRIMARY KEY (test_case, version)
) WITHOUT ROWID;
CREATE TABLE secret (
    project INTEGER NOT NULL REFERENCES project, environment TEXT NOT NULL, name TEXT NOT NULL, sealed BLOB NOT NULL,
    actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL, PRIMARY KEY (project, environment, name)
) WITHOUT ROWID;
CREATE TABLE run (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL REFERENCES project, oid TEXT NOT NULL UNIQUE, number INTEGER NOT NULL,
    kind TEXT NOT NULL, title TEXT NOT NULL, environment TEXT NOT NULL, seed INTEGER NOT NULL, label TEXT NOT NULL,
    request TEXT NOT NULL, idempotency TEXT, state TEXT NOT NULL, verdict TEXT, stopped_by TEXT NOT NULL DEFAULT '',
    actor INTEGER NOT NULL REFERENCES person, asked_at INTEGER NOT NULL, started_at INTEGER, finished_at INTEGER,
    counts TEXT NOT NULL DEFAULT '{}', UNIQUE (project, number), UNIQUE (project, idempotency)
);
CREATE INDEX run_by_project ON run (project, kind, id);
CREATE TABLE run_case (
    run INTEGER NOT NULL REFERENCES run, position INTEGER NOT NULL, project INTEGER NOT NULL REFERENCES project,
    test_case INTEGER NOT NULL REFERENCES test_case, version INTEGER NOT NULL, name TEXT NOT NULL, state TEXT NOT NULL,
    verdict TEXT, why TEXT, started_at INTEGER, us INTEGER, steps INTEGER NOT NULL DEFAULT 0, kind TEXT NOT NULL,
    PRIMARY KEY (run, position)
) WITHOUT ROWID;
CREATE INDEX run_case_by_case ON run_case (project, test_case, kind, run);
CREATE TABLE job (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL REFERENCES project, run INTEGER NOT NULL UNIQUE REFERENCES run,
    state TEXT NOT NULL, runner TEXT NOT NULL DEFAULT '', lease_until INTEGER NOT NULL DEFAULT 0,
    taken INTEGER NOT NULL DEFAULT 0, stop_by TEXT NOT NULL DEFAULT ''
);
CREATE INDEX job_open ON job (state, id) WHERE state <> 'finished';
CREATE TABLE event (
    id INTEGER PRIMARY KEY AUTOINCREMENT, project INTEGER NOT NULL REFERENCES project, run INTEGER, at INTEGER NOT NULL,
    type TEXT NOT NULL, body TEXT NOT NULL
);
