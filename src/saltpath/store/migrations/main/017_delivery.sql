-- Where results of runs are sent to: `document` says where, in which form, and of which runs. The value of its header is a secret (secrets.py).
CREATE TABLE delivery_rule (
    id INTEGER PRIMARY KEY AUTOINCREMENT, oid TEXT NOT NULL UNIQUE, project INTEGER NOT NULL REFERENCES project, document TEXT NOT NULL,
    version INTEGER NOT NULL, actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL, gone INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX delivery_rule_project ON delivery_rule (project);
-- One result on its way, once a rule and run. `due`: when it is tried next, microseconds; NULL once it has arrived or was given up. `since`: from when a day is counted.
CREATE TABLE delivery (
    id INTEGER PRIMARY KEY AUTOINCREMENT, oid TEXT NOT NULL UNIQUE, project INTEGER NOT NULL, rule INTEGER NOT NULL REFERENCES delivery_rule,
    run INTEGER NOT NULL REFERENCES run ON DELETE CASCADE, state TEXT NOT NULL, since INTEGER NOT NULL, due INTEGER
);
CREATE UNIQUE INDEX delivery_once ON delivery (rule, run);
CREATE INDEX delivery_due ON delivery (due) WHERE due IS NOT NULL;
CREATE INDEX delivery_run ON delivery (run);
CREATE TABLE delivery_try (
    delivery INTEGER NOT NULL REFERENCES delivery ON DELETE CASCADE, number INTEGER NOT NULL, at INTEGER NOT NULL, us INTEGER NOT NULL, status INTEGER NOT NULL,
    said TEXT NOT NULL, PRIMARY KEY (delivery, number)
) WITHOUT ROWID
