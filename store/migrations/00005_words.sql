-- +goose Up
ALTER TABLE trials RENAME COLUMN undoes TO reverts;
ALTER TABLE revisions RENAME COLUMN undoes TO reverts;
UPDATE runs SET state = 'discarded' WHERE state = 'dropped';

-- +goose Down
UPDATE runs SET state = 'dropped' WHERE state = 'discarded';
ALTER TABLE revisions RENAME COLUMN reverts TO undoes;
ALTER TABLE trials RENAME COLUMN reverts TO undoes;
