-- What a project was before something was last brought onto it, as an archive of its files; `after`: what it was then (a digest), since it is undone only if nothing else has changed.
CREATE TABLE import_undo (
    project INTEGER PRIMARY KEY REFERENCES project, archive BLOB NOT NULL, after TEXT NOT NULL, actor INTEGER NOT NULL REFERENCES person, at INTEGER NOT NULL
)
