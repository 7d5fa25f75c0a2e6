-- +goose Up
ALTER TABLE rigs ADD COLUMN note VARCHAR(300) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE rigs DROP COLUMN note;
