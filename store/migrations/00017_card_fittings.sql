-- +goose Up
ALTER TABLE fittings
  ADD COLUMN firmware_version VARCHAR(80) NOT NULL DEFAULT '',
  ADD COLUMN card             JSON        NULL,
  ADD COLUMN ticked           JSON        NULL;

-- +goose Down
ALTER TABLE fittings DROP COLUMN firmware_version, DROP COLUMN card, DROP COLUMN ticked;
