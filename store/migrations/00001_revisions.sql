-- +goose Up
CREATE TABLE revisions (
    number INTEGER PRIMARY KEY,
    at     TEXT NOT NULL, -- RFC 3339, UTC
    author TEXT NOT NULL,
    reason TEXT NOT NULL
) STRICT;

-- A row holds from the revision since up to, but not with, the revision until;
-- NULL means that it still holds.
CREATE TABLE documents (
    path    TEXT NOT NULL,
    content BLOB NOT NULL,
    since   INTEGER NOT NULL REFERENCES revisions (number),
    until   INTEGER REFERENCES revisions (number),
    PRIMARY KEY (path, since)
) STRICT, WITHOUT ROWID;

CREATE TABLE records (
    directory TEXT NOT NULL,
    kind      TEXT NOT NULL CHECK (kind IN ('user', 'group', 'device')),
    name      TEXT NOT NULL,
    body      BLOB NOT NULL,
    since     INTEGER NOT NULL REFERENCES revisions (number),
    until     INTEGER REFERENCES revisions (number),
    PRIMARY KEY (directory, kind, name, since)
) STRICT, WITHOUT ROWID;

CREATE TABLE tokens (
    hash    BLOB PRIMARY KEY, -- SHA-256
    name    TEXT NOT NULL,
    created TEXT NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE sessions (
    hash    BLOB PRIMARY KEY, -- SHA-256
    token   BLOB NOT NULL REFERENCES tokens (hash) ON DELETE CASCADE,
    expires TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE sessions;
DROP TABLE tokens;
DROP TABLE records;
DROP TABLE documents;
DROP TABLE revisions;
