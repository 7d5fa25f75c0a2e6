-- +goose Up
ALTER TABLE trims ADD COLUMN IF NOT EXISTS untried JSON NULL;

-- +goose Down
ALTER TABLE trims DROP COLUMN IF EXISTS untried;
