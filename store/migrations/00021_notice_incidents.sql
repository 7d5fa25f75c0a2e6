-- +goose Up
ALTER TABLE incidents
  ADD COLUMN IF NOT EXISTS boot_id VARCHAR(64) NULL,
  ADD UNIQUE KEY IF NOT EXISTS rig_id_2 (rig_id, boot_id);

-- +goose Down
ALTER TABLE incidents DROP INDEX IF EXISTS rig_id_2, DROP COLUMN IF EXISTS boot_id;
