-- +goose Up
ALTER TABLE trims ADD COLUMN untried JSON NULL;

-- +goose Down
ALTER TABLE trims DROP COLUMN untried;
