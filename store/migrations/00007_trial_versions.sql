-- +goose Up
-- The highest version that a trial had which is gone. A new trial begins above it, so
-- that a name and a version stand for one content for good.
CREATE TABLE trial_versions (last INTEGER NOT NULL) STRICT;
INSERT INTO trial_versions VALUES (0);
-- +goose StatementBegin
CREATE TRIGGER trial_gone AFTER DELETE ON trials BEGIN
    UPDATE trial_versions SET last = max(last, OLD.version);
END;
-- +goose StatementEnd

-- +goose Down
DROP TRIGGER trial_gone;
DROP TABLE trial_versions;
