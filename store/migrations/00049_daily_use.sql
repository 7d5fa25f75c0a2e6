-- +goose Up
ALTER TABLE trims ADD COLUMN used_s DOUBLE NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE trims DROP COLUMN used_s;
