-- What a report says of a case, made when the version is saved (core/cases/summary.py); empty of a version of before until Salt Path has started once.
ALTER TABLE case_revision ADD COLUMN summary TEXT NOT NULL DEFAULT ''
;
-- What the shared steps were called when a run was asked for, by the names of their files; empty of a run of before.
ALTER TABLE run ADD COLUMN shared_names TEXT NOT NULL DEFAULT ''
