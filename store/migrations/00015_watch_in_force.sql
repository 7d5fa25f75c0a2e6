-- +goose Up
ALTER TABLE rigs
  ADD COLUMN firmware_version VARCHAR(80) NOT NULL DEFAULT '',
  ADD COLUMN check_due        BOOLEAN     NOT NULL DEFAULT FALSE,
  ADD COLUMN refit            BOOLEAN     NOT NULL DEFAULT FALSE,
  ADD COLUMN lost_trim        BIGINT      NULL,
  ADD COLUMN drift            JSON        NULL;

-- +goose Down
ALTER TABLE rigs DROP COLUMN firmware_version, DROP COLUMN check_due, DROP COLUMN refit, DROP COLUMN lost_trim, DROP COLUMN drift;
