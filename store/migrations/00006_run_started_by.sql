-- +goose Up
-- Who started a run: by the two-person rule someone else commits it. It is not known
-- of runs before.
ALTER TABLE runs ADD COLUMN started_by TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE runs DROP COLUMN started_by;
