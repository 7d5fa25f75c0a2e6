-- +goose Up
ALTER TABLE legs
  ADD COLUMN width     VARCHAR(10) NOT NULL DEFAULT '',
  ADD COLUMN memory_mb INT         NOT NULL DEFAULT 0,
  ADD COLUMN abort_c   DOUBLE      NOT NULL DEFAULT 0,
  ADD COLUMN target_c  DOUBLE      NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE legs DROP COLUMN width, DROP COLUMN memory_mb, DROP COLUMN abort_c, DROP COLUMN target_c;
