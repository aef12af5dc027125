ALTER TABLE suite RENAME COLUMN single TO hidden;
