-- +goose Up
-- What changes that came one by one took away from a directory in the last minutes, which
-- counts when the next one does.
CREATE TABLE taken (
    directory TEXT NOT NULL,
    at        INTEGER NOT NULL, -- Unix time in microseconds
    what      BLOB NOT NULL  -- JSON
) STRICT;
CREATE INDEX taken_of_directory ON taken (directory, at);

-- +goose Down
DROP TABLE taken;
