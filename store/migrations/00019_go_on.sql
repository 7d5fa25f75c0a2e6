-- +goose Up
ALTER TABLE trials ADD COLUMN go_on BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE trials DROP COLUMN go_on;
