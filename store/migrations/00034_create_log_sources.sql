-- +goose Up
CREATE TABLE IF NOT EXISTS log_sources (
  id         VARCHAR(40) NOT NULL PRIMARY KEY,
  mapping    JSON        NOT NULL,
  changed_at DATETIME(6) NOT NULL
);

-- +goose Down
DROP TABLE IF EXISTS log_sources;
