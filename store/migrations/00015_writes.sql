-- +goose Up
-- What commits wrote, or are about to write, where the records of a directory come from. A row is there
-- before the first entry is modified; one that has not ended was cut off, and is taken back.
CREATE TABLE writes (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    directory TEXT NOT NULL,
    began     INTEGER NOT NULL, -- Unix time in nanoseconds
    ended     INTEGER,          -- Unix time in nanoseconds; NULL: not yet
    revision  INTEGER,          -- that it is of; NULL: of none, as it was taken back
    body      BLOB NOT NULL     -- JSON: the modifications, until it has ended
) STRICT;
CREATE INDEX writes_of ON writes (revision);

-- +goose Down
DROP TABLE writes;
