-- When whoever a session is of gave their password last.
ALTER TABLE session ADD COLUMN confirmed_at INTEGER NOT NULL DEFAULT 0;
