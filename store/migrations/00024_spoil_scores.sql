-- +goose Up
ALTER TABLE scores ADD COLUMN spoilt VARCHAR(200) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE scores DROP COLUMN spoilt;
