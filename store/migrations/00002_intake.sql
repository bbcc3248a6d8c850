-- +goose Up
-- Every run of an intake. The report is JSON.
CREATE TABLE runs (
    id        INTEGER PRIMARY KEY,
    directory TEXT NOT NULL,
    how       TEXT NOT NULL CHECK (how IN ('hand', 'schedule', 'stream')),
    state     TEXT NOT NULL,
    started   TEXT NOT NULL, -- RFC 3339, UTC
    ended     TEXT,
    revision  INTEGER REFERENCES revisions (number),
    report    BLOB NOT NULL
) STRICT;
CREATE INDEX runs_of_directory ON runs (directory, id);

-- A token with a directory pushes the records of that one, and opens nothing else.
ALTER TABLE tokens ADD COLUMN directory TEXT;

-- +goose Down
ALTER TABLE tokens DROP COLUMN directory;
DROP TABLE runs;
