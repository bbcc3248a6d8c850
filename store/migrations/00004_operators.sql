-- +goose Up
-- Who works with the service. The password is hashed with Argon2id; the second
-- factor is the secret of RFC 6238; issuer and subject are those of OpenID Connect.
CREATE TABLE operators (
    name     TEXT PRIMARY KEY COLLATE NOCASE,
    role     TEXT NOT NULL,
    display  TEXT NOT NULL,
    password TEXT,
    totp     TEXT,
    counter  INTEGER NOT NULL DEFAULT 0, -- of the newest code that was used
    issuer   TEXT,
    subject  TEXT,
    off      INTEGER NOT NULL DEFAULT 0,
    version  INTEGER NOT NULL DEFAULT 1,
    created  TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX operators_by_subject ON operators (issuer, subject) WHERE subject IS NOT NULL;

-- Tokens have a name of their own, a role, perhaps an end, and perhaps the only
-- systems that they open (JSON). Those of managers of groups have a user.
DROP TABLE sessions;
CREATE TABLE tokens_4 (
    hash      BLOB PRIMARY KEY, -- SHA-256
    name      TEXT NOT NULL UNIQUE COLLATE NOCASE,
    role      TEXT NOT NULL,
    created   TEXT NOT NULL,
    author    TEXT NOT NULL,
    expires   TEXT,
    systems   TEXT,
    user      TEXT,
    directory TEXT
) STRICT, WITHOUT ROWID;
INSERT INTO tokens_4 (hash, name, role, created, author, directory)
    SELECT hash, name, CASE WHEN directory IS NULL THEN 'admin' ELSE 'push' END, created, 'gatemap', directory FROM tokens;
DROP TABLE tokens;
ALTER TABLE tokens_4 RENAME TO tokens;

-- A session is of an operator, of a token, or of a user who manages groups.
CREATE TABLE sessions (
    hash     BLOB PRIMARY KEY, -- SHA-256
    operator TEXT COLLATE NOCASE REFERENCES operators (name) ON DELETE CASCADE ON UPDATE CASCADE,
    token    BLOB REFERENCES tokens (hash) ON DELETE CASCADE,
    user     TEXT,
    how      TEXT NOT NULL,
    expires  TEXT NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE settings (
    name  TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- Everything that was done or refused. Each entry is hashed with the hash of the one
-- before; entries are never changed.
CREATE TABLE audit (
    number INTEGER PRIMARY KEY,
    at     TEXT NOT NULL, -- RFC 3339, UTC
    actor  TEXT NOT NULL,
    act    TEXT NOT NULL,
    object TEXT NOT NULL,
    result TEXT NOT NULL CHECK (result IN ('done', 'refused')),
    detail TEXT NOT NULL,
    origin TEXT NOT NULL,
    hash   BLOB NOT NULL
) STRICT;
CREATE INDEX audit_by_actor ON audit (actor, number);
CREATE INDEX audit_by_object ON audit (object, number);
-- +goose StatementBegin
CREATE TRIGGER audit_stays BEFORE UPDATE ON audit BEGIN SELECT raise(ABORT, 'the audit is only added to'); END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER audit_keeps BEFORE DELETE ON audit BEGIN SELECT raise(ABORT, 'the audit is only added to'); END;
-- +goose StatementEnd

-- +goose Down
DROP TABLE audit;
DROP TABLE settings;
DROP TABLE sessions;
CREATE TABLE sessions (
    hash    BLOB PRIMARY KEY,
    token   BLOB NOT NULL REFERENCES tokens (hash) ON DELETE CASCADE,
    expires TEXT NOT NULL
) STRICT, WITHOUT ROWID;
ALTER TABLE tokens DROP COLUMN user;
ALTER TABLE tokens DROP COLUMN systems;
ALTER TABLE tokens DROP COLUMN expires;
DROP TABLE operators;
