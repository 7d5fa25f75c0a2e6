-- +goose Up
CREATE TABLE IF NOT EXISTS ladders (
  id         VARCHAR(40) NOT NULL PRIMARY KEY,
  template   JSON        NOT NULL,
  changed_at DATETIME(6) NOT NULL
);

-- +goose Down
DROP TABLE IF EXISTS ladders;
