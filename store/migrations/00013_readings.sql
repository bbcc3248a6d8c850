-- +goose Up
-- The newest reading of each linked system, and how it went with those that came after it.
CREATE TABLE readings (
    system TEXT PRIMARY KEY COLLATE NOCASE,
    at     INTEGER,          -- Unix time in nanoseconds: when the system held it; NULL: there is none
    body   BLOB,             -- packed
    failed INTEGER NOT NULL, -- how many readings failed since
    error  TEXT NOT NULL,    -- why the last one failed
    tried  INTEGER NOT NULL  -- Unix time in nanoseconds: when the last one was tried
) STRICT;

-- +goose Down
DROP TABLE readings;
