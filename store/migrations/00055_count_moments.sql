-- +goose Up
-- How much telemetry of a leg was taken in, so that no rig fills the disk.
ALTER TABLE legs ADD COLUMN IF NOT EXISTS moments BIGINT NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE legs DROP COLUMN IF EXISTS moments;
