-- +goose Up
ALTER TABLE trims
  ADD COLUMN notes   TEXT        NOT NULL DEFAULT '',
  ADD COLUMN profile VARCHAR(10) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE trims DROP COLUMN notes, DROP COLUMN profile;
