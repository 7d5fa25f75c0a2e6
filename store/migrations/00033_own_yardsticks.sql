-- +goose Up
ALTER TABLE yardsticks DROP COLUMN load_kind, DROP COLUMN seconds, DROP COLUMN runs;

-- +goose Down
ALTER TABLE yardsticks
  ADD COLUMN load_kind VARCHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN seconds DOUBLE NOT NULL DEFAULT 0,
  ADD COLUMN runs INT NOT NULL DEFAULT 0;
