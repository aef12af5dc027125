-- What people say of a run.
ALTER TABLE run ADD COLUMN note TEXT NOT NULL DEFAULT ''
