-- +goose Up
-- What each receiver of notices was told of what stands, until it is over.
CREATE TABLE told (
    receiver TEXT NOT NULL,    -- the name of its document, folded
    id       TEXT NOT NULL,    -- of what stands
    since    INTEGER NOT NULL, -- Unix time in nanoseconds
    body     BLOB NOT NULL,    -- JSON
    PRIMARY KEY (receiver, id)
) STRICT;
-- What receivers are told, and whether it was sent.
CREATE TABLE notices (
    number   INTEGER PRIMARY KEY AUTOINCREMENT,
    receiver TEXT NOT NULL,    -- the name of its document, folded
    at       INTEGER NOT NULL, -- Unix time in nanoseconds
    due      INTEGER NOT NULL, -- when it is to be sent; Unix time in nanoseconds
    tries    INTEGER NOT NULL DEFAULT 0,
    error    TEXT NOT NULL DEFAULT '', -- of the last try
    ended    INTEGER,          -- when it was sent, or given up; NULL: not yet
    body     BLOB NOT NULL     -- JSON
) STRICT;
CREATE INDEX notices_open ON notices (receiver, number) WHERE ended IS NULL;

-- +goose Down
DROP TABLE notices;
DROP TABLE told;
