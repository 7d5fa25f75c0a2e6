-- +goose Up
ALTER TABLE trials ADD COLUMN IF NOT EXISTS cores JSON NULL;

-- +goose Down
ALTER TABLE trials DROP COLUMN IF EXISTS cores;
