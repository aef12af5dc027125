-- Hours of a watch that are sealed (core/proof/verify.py): `number` of records and their `root`, the digest of the hour's runs, the head over these and the head before.
-- `leaves`: the hashes of the records, where one of them is kept for long; else empty.
CREATE TABLE watch_head (
    watch INTEGER NOT NULL, hour INTEGER NOT NULL, number INTEGER NOT NULL, root BLOB NOT NULL, runs BLOB NOT NULL, head BLOB NOT NULL,
    leaves BLOB NOT NULL, PRIMARY KEY (watch, hour)
) WITHOUT ROWID;
-- What routes have sent on which day (of the project's clocks) that is sent once a day.
CREATE TABLE route_day (
    route INTEGER NOT NULL, what TEXT NOT NULL, day TEXT NOT NULL, PRIMARY KEY (route, what, day)
) WITHOUT ROWID
