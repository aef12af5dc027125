ALTER TABLE body ADD COLUMN last_run INTEGER NOT NULL DEFAULT 0;
UPDATE body SET last_run = (SELECT COALESCE(MAX(run), 0) FROM step);
CREATE INDEX body_by_run ON body (last_run);
CREATE INDEX step_by_base ON step (base) WHERE base IS NOT NULL
