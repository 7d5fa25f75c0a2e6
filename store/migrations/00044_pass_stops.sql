-- +goose Up
ALTER TABLE fittings ADD COLUMN IF NOT EXISTS despite VARCHAR(500) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE fittings DROP COLUMN IF EXISTS despite;
