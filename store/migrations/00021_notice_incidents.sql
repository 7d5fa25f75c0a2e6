-- +goose Up
ALTER TABLE incidents
  ADD COLUMN boot_id VARCHAR(64) NULL,
  ADD UNIQUE (rig_id, boot_id);

-- +goose Down
ALTER TABLE incidents DROP INDEX rig_id_2, DROP COLUMN boot_id;
