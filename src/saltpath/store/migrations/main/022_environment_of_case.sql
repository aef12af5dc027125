-- a run may go to several environments: each of its cases says to which
ALTER TABLE run_case ADD COLUMN environment TEXT NOT NULL DEFAULT '';
UPDATE run_case SET environment = COALESCE((SELECT environment FROM run WHERE run.id = run_case.run), '');
