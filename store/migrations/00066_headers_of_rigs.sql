-- +goose Up
ALTER TABLE rigs ADD COLUMN IF NOT EXISTS headers JSON NULL;

-- +goose Down
ALTER TABLE rigs DROP COLUMN IF EXISTS headers;
