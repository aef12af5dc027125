-- Trouble of a watch is more than outages: `kind` says which (store/history/troubles.py); facts: numbers of it, as JSON.
CREATE TABLE trouble (
    id INTEGER PRIMARY KEY, oid TEXT NOT NULL UNIQUE, project INTEGER NOT NULL, watch INTEGER NOT NULL, kind TEXT NOT NULL, began INTEGER NOT NULL,
    ended INTEGER NOT NULL DEFAULT 0, runs INTEGER NOT NULL, turn INTEGER NOT NULL, signature TEXT NOT NULL, cause TEXT NOT NULL,
    note TEXT NOT NULL DEFAULT '', noted_by TEXT NOT NULL DEFAULT '', host TEXT NOT NULL DEFAULT '', taken_by TEXT NOT NULL DEFAULT '',
    taken_at INTEGER NOT NULL DEFAULT 0, facts TEXT NOT NULL DEFAULT '{}', UNIQUE (watch, kind, began, turn)
);
INSERT INTO trouble (id, oid, project, watch, kind, began, ended, runs, turn, signature, cause, note, noted_by, host, taken_by, taken_at)
    SELECT id, oid, project, watch, 'outage', began, ended, runs, turn, signature, cause, note, noted_by, host, taken_by, taken_at FROM outage;
DROP TABLE outage;
CREATE INDEX trouble_by_project ON trouble (project, began);
CREATE INDEX trouble_now ON trouble (watch, kind) WHERE ended = 0;
ALTER TABLE alert RENAME COLUMN outage TO trouble;
-- Routes by which nobody is told until a moment (UTC microseconds).
CREATE TABLE route_mute (route INTEGER PRIMARY KEY, until INTEGER NOT NULL, by TEXT NOT NULL) WITHOUT ROWID;
-- What had to go since there was too much (store/history/bounds.py): all that was due before a moment (seconds), last taken away at (UTC microseconds).
CREATE TABLE history_dropped (what TEXT PRIMARY KEY, before INTEGER NOT NULL, rows INTEGER NOT NULL, at INTEGER NOT NULL) WITHOUT ROWID;
-- How long a large body is kept: as long as the longest of the runs that saw it (store/history/seen.py).
ALTER TABLE watch_body ADD COLUMN keep INTEGER NOT NULL DEFAULT 2;
CREATE INDEX watch_body_unused ON watch_body (keep, last_due);
-- What was last looked for that single runs do not say: when (UTC microseconds), and what was found then, as JSON.
CREATE TABLE watch_look (watch INTEGER NOT NULL, what TEXT NOT NULL, at INTEGER NOT NULL, found TEXT NOT NULL, PRIMARY KEY (watch, what)) WITHOUT ROWID
