-- What a run with an idempotency key was asked for with (a digest of the body): the same key with another body is another wish, and is refused. Empty of a run of before.
ALTER TABLE run ADD COLUMN asked_digest TEXT NOT NULL DEFAULT ''
