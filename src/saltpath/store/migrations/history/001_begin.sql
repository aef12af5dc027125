-- What became of watches. Moments of `due` are whole seconds UTC, others microseconds UTC. A watch and a project are known by their numbers in the main database.

-- Where each watch stands: what it was last looked after for, and what is known of it after its last run (core/watching/states.py).
-- `scheduled`: the digest of the schedule it is looked after by; off: it is not looked after.
CREATE TABLE watch_state (
    watch INTEGER PRIMARY KEY, project INTEGER NOT NULL, looked_at INTEGER NOT NULL, turn INTEGER NOT NULL DEFAULT 0, state TEXT NOT NULL DEFAULT '{}',
    last_due INTEGER NOT NULL DEFAULT 0, last_flag INTEGER NOT NULL DEFAULT 0, last_at INTEGER NOT NULL DEFAULT 0, last_us INTEGER NOT NULL DEFAULT 0,
    last_why TEXT NOT NULL DEFAULT '', scheduled TEXT NOT NULL DEFAULT '', off INTEGER NOT NULL DEFAULT 0
);
-- Runs that were begun and have not ended. A claim goes in the transaction that writes the run down.
CREATE TABLE watch_claim (
    watch INTEGER NOT NULL, due INTEGER NOT NULL, turn INTEGER NOT NULL, epoch INTEGER NOT NULL, at INTEGER NOT NULL, flag INTEGER NOT NULL,
    PRIMARY KEY (watch, due, turn)
) WITHOUT ROWID;
-- Who holds the schedule: what comes with an older epoch is refused.
CREATE TABLE watch_lease (id INTEGER PRIMARY KEY CHECK (id = 1), epoch INTEGER NOT NULL, holder TEXT NOT NULL);
INSERT INTO watch_lease VALUES (1, 0, '');

-- Fresh runs, of the last minutes; then a block for each watch and hour; then slabs of all watches of a project (core/watching/numbers.py).
CREATE TABLE watch_run (
    due INTEGER NOT NULL, watch INTEGER NOT NULL, turn INTEGER NOT NULL, late INTEGER NOT NULL, flag INTEGER NOT NULL, us INTEGER NOT NULL,
    PRIMARY KEY (due, watch, turn)
) WITHOUT ROWID;
CREATE TABLE watch_hour (id INTEGER PRIMARY KEY, runs BLOB NOT NULL);
CREATE TABLE watch_slab (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL, level INTEGER NOT NULL, start INTEGER NOT NULL, until INTEGER NOT NULL, layout INTEGER NOT NULL,
    watches BLOB NOT NULL, sums BLOB NOT NULL, entries BLOB NOT NULL, points BLOB NOT NULL, UNIQUE (project, level, start)
);

-- What runs saw: the whole record of one, packed against what the watch saw before; large bodies apart, the same ones once.
CREATE TABLE watch_base (id INTEGER PRIMARY KEY, watch INTEGER NOT NULL, packed BLOB NOT NULL, last_due INTEGER NOT NULL);
CREATE INDEX watch_base_by_watch ON watch_base (watch);
CREATE TABLE watch_evidence (
    watch INTEGER NOT NULL, due INTEGER NOT NULL, turn INTEGER NOT NULL, attempt INTEGER NOT NULL, keep INTEGER NOT NULL, against INTEGER NOT NULL,
    packed BLOB NOT NULL, PRIMARY KEY (watch, due, turn, attempt)
) WITHOUT ROWID;
-- Runs that were asked for besides the schedule.
CREATE TABLE watch_asked (watch INTEGER PRIMARY KEY, at INTEGER NOT NULL) WITHOUT ROWID;
CREATE TABLE watch_body (hash BLOB PRIMARY KEY, packed BLOB NOT NULL, last_due INTEGER NOT NULL) WITHOUT ROWID;

-- Outages, by the first bad run; ended: 0 while it lasts.
CREATE TABLE outage (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, project INTEGER NOT NULL, watch INTEGER NOT NULL, began INTEGER NOT NULL, ended INTEGER NOT NULL DEFAULT 0,
    runs INTEGER NOT NULL, turn INTEGER NOT NULL, signature TEXT NOT NULL, cause TEXT NOT NULL, note TEXT NOT NULL DEFAULT '', noted_by TEXT NOT NULL DEFAULT '',
    host TEXT NOT NULL DEFAULT '', taken_by TEXT NOT NULL DEFAULT '', taken_at INTEGER NOT NULL DEFAULT 0,
    UNIQUE (watch, began, turn)
);
CREATE INDEX outage_by_project ON outage (project, began);

-- What people are to be told, once a change of state (`number`: of a reminder); then by each route; then in a message, which is sent until it has arrived.
CREATE TABLE alert (
    id INTEGER PRIMARY KEY, project INTEGER NOT NULL, watch INTEGER NOT NULL, outage INTEGER NOT NULL, kind TEXT NOT NULL, number INTEGER NOT NULL DEFAULT 0,
    at INTEGER NOT NULL, planned INTEGER NOT NULL DEFAULT 0, UNIQUE (outage, kind, number)
);
CREATE INDEX alert_unplanned ON alert (id) WHERE planned = 0;
CREATE TABLE alert_by_route (
    alert INTEGER NOT NULL, route INTEGER NOT NULL, due INTEGER, message INTEGER, PRIMARY KEY (alert, route)
) WITHOUT ROWID;
CREATE INDEX alert_by_route_due ON alert_by_route (due) WHERE due IS NOT NULL;
CREATE TABLE alert_message (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, project INTEGER NOT NULL, route INTEGER NOT NULL, kind TEXT NOT NULL, thread TEXT NOT NULL,
    subject TEXT NOT NULL, text TEXT NOT NULL, html TEXT NOT NULL, body BLOB NOT NULL, state TEXT NOT NULL, at INTEGER NOT NULL, since INTEGER NOT NULL, due INTEGER
);
CREATE INDEX alert_message_due ON alert_message (due) WHERE due IS NOT NULL;
CREATE TABLE alert_try (
    message INTEGER NOT NULL, number INTEGER NOT NULL, at INTEGER NOT NULL, us INTEGER NOT NULL, said TEXT NOT NULL, PRIMARY KEY (message, number)
) WITHOUT ROWID;
-- Watches of which nobody is told until a moment (UTC microseconds).
CREATE TABLE watch_mute (watch INTEGER PRIMARY KEY, until INTEGER NOT NULL, by TEXT NOT NULL) WITHOUT ROWID
