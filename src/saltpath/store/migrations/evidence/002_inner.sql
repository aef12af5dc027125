ALTER TABLE step ADD COLUMN inner TEXT NOT NULL DEFAULT '';
DROP INDEX step_once;
CREATE UNIQUE INDEX step_once ON step (run, position, row, part, step, inner, attempt);
