-- +goose Up
-- Times are Unix time in nanoseconds, so that they are compared as times.
DROP TRIGGER audit_stays;
ALTER TABLE revisions ADD COLUMN at_next INTEGER NOT NULL DEFAULT 0;
UPDATE revisions SET at_next = unixepoch(at) * 1000000000;
ALTER TABLE revisions DROP COLUMN at;
ALTER TABLE revisions RENAME COLUMN at_next TO at;
ALTER TABLE trials ADD COLUMN created_next INTEGER NOT NULL DEFAULT 0;
UPDATE trials SET created_next = unixepoch(created) * 1000000000;
ALTER TABLE trials DROP COLUMN created;
ALTER TABLE trials RENAME COLUMN created_next TO created;
ALTER TABLE operators ADD COLUMN created_next INTEGER NOT NULL DEFAULT 0;
UPDATE operators SET created_next = unixepoch(created) * 1000000000;
ALTER TABLE operators DROP COLUMN created;
ALTER TABLE operators RENAME COLUMN created_next TO created;
ALTER TABLE tokens ADD COLUMN created_next INTEGER NOT NULL DEFAULT 0;
UPDATE tokens SET created_next = unixepoch(created) * 1000000000;
ALTER TABLE tokens DROP COLUMN created;
ALTER TABLE tokens RENAME COLUMN created_next TO created;
ALTER TABLE tokens ADD COLUMN expires_next INTEGER;
UPDATE tokens SET expires_next = unixepoch(expires) * 1000000000 WHERE expires IS NOT NULL;
ALTER TABLE tokens DROP COLUMN expires;
ALTER TABLE tokens RENAME COLUMN expires_next TO expires;
ALTER TABLE sessions ADD COLUMN expires_next INTEGER NOT NULL DEFAULT 0;
UPDATE sessions SET expires_next = unixepoch(expires) * 1000000000;
ALTER TABLE sessions DROP COLUMN expires;
ALTER TABLE sessions RENAME COLUMN expires_next TO expires;
ALTER TABLE runs ADD COLUMN started_next INTEGER NOT NULL DEFAULT 0;
UPDATE runs SET started_next = unixepoch(substr(started, 1, 19)) * 1000000000 + CASE WHEN substr(started, 20, 1) = '.' THEN CAST(substr(rtrim(substr(started, 21), 'Z') || '000000000', 1, 9) AS INTEGER) ELSE 0 END;
ALTER TABLE runs DROP COLUMN started;
ALTER TABLE runs RENAME COLUMN started_next TO started;
ALTER TABLE runs ADD COLUMN ended_next INTEGER;
UPDATE runs SET ended_next = unixepoch(substr(ended, 1, 19)) * 1000000000 + CASE WHEN substr(ended, 20, 1) = '.' THEN CAST(substr(rtrim(substr(ended, 21), 'Z') || '000000000', 1, 9) AS INTEGER) ELSE 0 END WHERE ended IS NOT NULL;
ALTER TABLE runs DROP COLUMN ended;
ALTER TABLE runs RENAME COLUMN ended_next TO ended;
ALTER TABLE audit ADD COLUMN at_next INTEGER NOT NULL DEFAULT 0;
UPDATE audit SET at_next = unixepoch(substr(at, 1, 19)) * 1000000000 + CASE WHEN substr(at, 20, 1) = '.' THEN CAST(substr(rtrim(substr(at, 21), 'Z') || '000000000', 1, 9) AS INTEGER) ELSE 0 END;
ALTER TABLE audit DROP COLUMN at;
ALTER TABLE audit RENAME COLUMN at_next TO at;
UPDATE taken SET at = at * 1000; -- they were microseconds
-- +goose StatementBegin
CREATE TRIGGER audit_stays BEFORE UPDATE ON audit BEGIN SELECT raise(ABORT, 'the audit is only added to'); END;
-- +goose StatementEnd

-- +goose Down
DROP TRIGGER audit_stays;
UPDATE taken SET at = at / 1000;
ALTER TABLE revisions ADD COLUMN at_next TEXT NOT NULL DEFAULT '';
UPDATE revisions SET at_next = strftime('%Y-%m-%dT%H:%M:%S', at / 1000000000, 'unixepoch') || 'Z';
ALTER TABLE revisions DROP COLUMN at;
ALTER TABLE revisions RENAME COLUMN at_next TO at;
ALTER TABLE trials ADD COLUMN created_next TEXT NOT NULL DEFAULT '';
UPDATE trials SET created_next = strftime('%Y-%m-%dT%H:%M:%S', created / 1000000000, 'unixepoch') || 'Z';
ALTER TABLE trials DROP COLUMN created;
ALTER TABLE trials RENAME COLUMN created_next TO created;
ALTER TABLE operators ADD COLUMN created_next TEXT NOT NULL DEFAULT '';
UPDATE operators SET created_next = strftime('%Y-%m-%dT%H:%M:%S', created / 1000000000, 'unixepoch') || 'Z';
ALTER TABLE operators DROP COLUMN created;
ALTER TABLE operators RENAME COLUMN created_next TO created;
ALTER TABLE tokens ADD COLUMN created_next TEXT NOT NULL DEFAULT '';
UPDATE tokens SET created_next = strftime('%Y-%m-%dT%H:%M:%S', created / 1000000000, 'unixepoch') || 'Z';
ALTER TABLE tokens DROP COLUMN created;
ALTER TABLE tokens RENAME COLUMN created_next TO created;
ALTER TABLE tokens ADD COLUMN expires_next TEXT;
UPDATE tokens SET expires_next = strftime('%Y-%m-%dT%H:%M:%S', expires / 1000000000, 'unixepoch') || 'Z' WHERE expires IS NOT NULL;
ALTER TABLE tokens DROP COLUMN expires;
ALTER TABLE tokens RENAME COLUMN expires_next TO expires;
ALTER TABLE sessions ADD COLUMN expires_next TEXT NOT NULL DEFAULT '';
UPDATE sessions SET expires_next = strftime('%Y-%m-%dT%H:%M:%S', expires / 1000000000, 'unixepoch') || 'Z';
ALTER TABLE sessions DROP COLUMN expires;
ALTER TABLE sessions RENAME COLUMN expires_next TO expires;
ALTER TABLE runs ADD COLUMN started_next TEXT NOT NULL DEFAULT '';
UPDATE runs SET started_next = strftime('%Y-%m-%dT%H:%M:%S', started / 1000000000, 'unixepoch') || rtrim(rtrim(printf('.%09d', started % 1000000000), '0'), '.') || 'Z';
ALTER TABLE runs DROP COLUMN started;
ALTER TABLE runs RENAME COLUMN started_next TO started;
ALTER TABLE runs ADD COLUMN ended_next TEXT;
UPDATE runs SET ended_next = strftime('%Y-%m-%dT%H:%M:%S', ended / 1000000000, 'unixepoch') || rtrim(rtrim(printf('.%09d', ended % 1000000000), '0'), '.') || 'Z' WHERE ended IS NOT NULL;
ALTER TABLE runs DROP COLUMN ended;
ALTER TABLE runs RENAME COLUMN ended_next TO ended;
ALTER TABLE audit ADD COLUMN at_next TEXT NOT NULL DEFAULT '';
UPDATE audit SET at_next = strftime('%Y-%m-%dT%H:%M:%S', at / 1000000000, 'unixepoch') || rtrim(rtrim(printf('.%09d', at % 1000000000), '0'), '.') || 'Z';
ALTER TABLE audit DROP COLUMN at;
ALTER TABLE audit RENAME COLUMN at_next TO at;
-- +goose StatementBegin
CREATE TRIGGER audit_stays BEFORE UPDATE ON audit BEGIN SELECT raise(ABORT, 'the audit is only added to'); END;
-- +goose StatementEnd
