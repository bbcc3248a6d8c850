-- +goose Up
-- Whose token it is: an operator, or the host; NULL for tokens that no person uses
-- (those of services, of directories, and of managers of groups).
ALTER TABLE tokens ADD COLUMN owner TEXT COLLATE NOCASE;
UPDATE tokens SET owner = coalesce((SELECT name FROM operators WHERE name = tokens.author), 'host')
    WHERE directory IS NULL AND user IS NULL;

-- What was staged or begun by a token is its owner's.
UPDATE trials SET
    author = coalesce((SELECT owner FROM tokens WHERE 'token “' || name || '”' = trials.author), author),
    changes = CAST((SELECT json_group_array(json(coalesce(
        (SELECT json_set(c.value, '$.by', owner) FROM tokens WHERE 'token “' || name || '”' = json_extract(c.value, '$.by')), c.value)))
        FROM json_each(CAST(trials.changes AS TEXT)) AS c) AS BLOB)
    WHERE json_type(CAST(changes AS TEXT)) = 'array';
UPDATE runs SET started_by = coalesce((SELECT owner FROM tokens WHERE 'token “' || name || '”' = runs.started_by), started_by);

-- Who a provider of OpenID Connect knows as a manager of groups: tied at the first
-- sign-in, for good.
CREATE TABLE managers (
    user    TEXT PRIMARY KEY COLLATE NOCASE,
    issuer  TEXT NOT NULL,
    subject TEXT NOT NULL,
    UNIQUE (issuer, subject)
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE managers;
ALTER TABLE tokens DROP COLUMN owner;
