-- +goose Up
-- What was, or is to be, delivered to linked systems. One that is being delivered says so before the
-- first statement reaches the system.
CREATE TABLE deliveries (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    system    TEXT NOT NULL COLLATE NOCASE,
    revision  INTEGER NOT NULL, -- of the map from which it was worked out
    how       TEXT NOT NULL,    -- hand, commit or time
    begun_by  TEXT NOT NULL,
    state     TEXT NOT NULL,
    began     INTEGER NOT NULL, -- Unix time in nanoseconds
    ended     INTEGER,          -- Unix time in nanoseconds; NULL: not yet
    report    BLOB NOT NULL,    -- JSON: who delivered it, and how it went
    plan      BLOB NOT NULL     -- packed: the statements, and what is left out
) STRICT;
CREATE INDEX deliveries_of ON deliveries (system, id);

-- +goose Down
DROP TABLE deliveries;
