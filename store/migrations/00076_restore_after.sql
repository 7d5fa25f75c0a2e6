-- +goose Up
ALTER TABLE trials ADD COLUMN IF NOT EXISTS restore_after BOOLEAN NOT NULL DEFAULT FALSE, ADD INDEX IF NOT EXISTS to_restore (restore_after);

-- +goose Down
ALTER TABLE trials DROP INDEX IF EXISTS to_restore, DROP COLUMN IF EXISTS restore_after;
