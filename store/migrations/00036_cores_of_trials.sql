-- +goose Up
ALTER TABLE trials ADD COLUMN cores JSON NULL;

-- +goose Down
ALTER TABLE trials DROP COLUMN cores;
