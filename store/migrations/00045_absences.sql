-- +goose Up
ALTER TABLE rigs
  ADD COLUMN absence VARCHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN absent_since DATETIME(6) NULL;

-- +goose Down
ALTER TABLE rigs DROP COLUMN absent_since, DROP COLUMN absence;
