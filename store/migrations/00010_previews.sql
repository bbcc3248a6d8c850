-- +goose Up
-- What a run would change or changed, as JSON packed by gzip (RFC 1952), kept with it; and
-- runs that a push or a folder made.
CREATE TABLE runs_next (
    id         INTEGER PRIMARY KEY,
    directory  TEXT NOT NULL,
    how        TEXT NOT NULL CHECK (how IN ('hand', 'schedule', 'stream', 'push', 'folder')),
    state      TEXT NOT NULL,
    started    TEXT NOT NULL, -- RFC 3339, UTC
    ended      TEXT,
    revision   INTEGER REFERENCES revisions (number),
    report     BLOB NOT NULL,
    started_by TEXT NOT NULL DEFAULT '',
    preview    BLOB
) STRICT;
INSERT INTO runs_next SELECT id, directory, how, state, started, ended, revision, report, started_by, NULL FROM runs;
DROP TABLE runs;
ALTER TABLE runs_next RENAME TO runs;
CREATE INDEX runs_of_directory ON runs (directory, id);

-- +goose Down
DELETE FROM runs WHERE how IN ('push', 'folder');
ALTER TABLE runs DROP COLUMN preview;
