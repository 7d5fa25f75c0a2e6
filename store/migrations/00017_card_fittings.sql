-- +goose Up
ALTER TABLE fittings
  ADD COLUMN IF NOT EXISTS firmware_version VARCHAR(80) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS card             JSON        NULL,
  ADD COLUMN IF NOT EXISTS ticked           JSON        NULL;

-- +goose Down
ALTER TABLE fittings DROP COLUMN IF EXISTS firmware_version, DROP COLUMN IF EXISTS card, DROP COLUMN IF EXISTS ticked;
