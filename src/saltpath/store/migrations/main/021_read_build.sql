-- which builds of the service the steps of a run have met
ALTER TABLE run ADD COLUMN read_build TEXT NOT NULL DEFAULT '';
