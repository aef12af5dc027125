CREATE TABLE environment_guard (
    environment INTEGER PRIMARY KEY REFERENCES environment ON DELETE CASCADE, run_role TEXT NOT NULL DEFAULT '',
    change_role TEXT NOT NULL DEFAULT ''
);
