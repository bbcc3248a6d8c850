-- +goose Up
-- Names that documents have, of records of sources that are gone, with the identifiers to
-- which they led.
CREATE TABLE departed (
    directory TEXT NOT NULL,
    kind      TEXT NOT NULL,
    name      TEXT NOT NULL, -- folded
    id        TEXT NOT NULL,
    PRIMARY KEY (directory, kind, name)
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE departed;
