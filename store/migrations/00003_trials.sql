-- +goose Up
-- Changes that are staged and not committed. They are JSON.
CREATE TABLE trials (
    name    TEXT PRIMARY KEY COLLATE NOCASE,
    note    TEXT NOT NULL,
    author  TEXT NOT NULL,
    created TEXT NOT NULL, -- RFC 3339, UTC
    base    INTEGER NOT NULL,
    version INTEGER NOT NULL,
    undoes  INTEGER,       -- the revision that it undoes
    changes BLOB NOT NULL
) STRICT;

-- Of a revision that was tried first: by what name, what it changed, what it undid,
-- what was overridden, and the key by which the commit was asked for.
ALTER TABLE revisions ADD COLUMN trial TEXT;
ALTER TABLE revisions ADD COLUMN changes BLOB;
ALTER TABLE revisions ADD COLUMN undoes INTEGER;
ALTER TABLE revisions ADD COLUMN overrides TEXT;
ALTER TABLE revisions ADD COLUMN key TEXT;
CREATE UNIQUE INDEX revisions_by_key ON revisions (key) WHERE key IS NOT NULL;

-- +goose Down
DROP INDEX revisions_by_key;
ALTER TABLE revisions DROP COLUMN key;
ALTER TABLE revisions DROP COLUMN overrides;
ALTER TABLE revisions DROP COLUMN undoes;
ALTER TABLE revisions DROP COLUMN changes;
ALTER TABLE revisions DROP COLUMN trial;
DROP TABLE trials;
