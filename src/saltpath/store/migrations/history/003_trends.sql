-- What runs of cases add up to (core/trends/entries.py). Cases, projects and runs are known by their numbers in the main database.

-- Whose times are followed: a case, a step (`of`: its case or shared steps, and its key; `operation`: what it asks), shared steps, an operation, a host; and what it was last called.
CREATE TABLE trend_series (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, project INTEGER NOT NULL, kind TEXT NOT NULL, of TEXT NOT NULL, name TEXT NOT NULL, owner INTEGER NOT NULL DEFAULT 0,
    operation TEXT NOT NULL DEFAULT '', UNIQUE (project, kind, of)
);
-- What was wrong, by signature (core/running/causes.py); facts: the first failure, as JSON.
CREATE TABLE trend_cause (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL, signature TEXT NOT NULL, facts TEXT NOT NULL, UNIQUE (project, signature)
);
-- Runs that are among the entries, with what is known of each that no entry says.
CREATE TABLE trend_run (
    run INTEGER PRIMARY KEY, project INTEGER NOT NULL, number INTEGER NOT NULL, oid TEXT NOT NULL, build TEXT NOT NULL, runner TEXT NOT NULL,
    at INTEGER NOT NULL, finished_at INTEGER NOT NULL
);
CREATE INDEX trend_run_by_finish ON trend_run (finished_at);
CREATE INDEX trend_run_by_project ON trend_run (project, at);
-- Entries of the runs against an environment that were asked for within an hour (since 1970).
CREATE TABLE trend_hour (
    project INTEGER NOT NULL, what TEXT NOT NULL, environment TEXT NOT NULL, hour INTEGER NOT NULL, layout INTEGER NOT NULL, entries BLOB NOT NULL,
    UNIQUE (project, what, environment, hour)
);
-- The same, of days that are over: of steps in pieces by their series (its number / 16), in their order.
CREATE TABLE trend_day (
    project INTEGER NOT NULL, what TEXT NOT NULL, environment TEXT NOT NULL, piece INTEGER NOT NULL, day INTEGER NOT NULL, layout INTEGER NOT NULL,
    entries BLOB NOT NULL, UNIQUE (project, what, environment, piece, day)
);
-- Which cases can be trusted (core/trends/trust.py), by the runs up to a moment (seconds UTC), as JSON.
CREATE TABLE trend_trust (
    project INTEGER NOT NULL, environment TEXT NOT NULL, until INTEGER NOT NULL, found TEXT NOT NULL, PRIMARY KEY (project, environment)
) WITHOUT ROWID;
-- What was last found in the times of a series against an environment (core/trends/changes.py), up to which moment (seconds UTC); `us`: what it took in all over 30 days; `found` is JSON.
CREATE TABLE trend_look (
    series INTEGER NOT NULL, environment TEXT NOT NULL, project INTEGER NOT NULL, until INTEGER NOT NULL, us INTEGER NOT NULL,
    found TEXT NOT NULL, PRIMARY KEY (series, environment)
) WITHOUT ROWID;
CREATE INDEX trend_look_found ON trend_look (project, environment) WHERE found <> '[]'
