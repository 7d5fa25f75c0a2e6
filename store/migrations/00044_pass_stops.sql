-- +goose Up
ALTER TABLE fittings ADD COLUMN despite VARCHAR(500) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE fittings DROP COLUMN despite;
