-- +goose Up
CREATE TABLE IF NOT EXISTS yardsticks (
  id        VARCHAR(40) NOT NULL PRIMARY KEY,
  name      VARCHAR(80) NOT NULL,
  unit      VARCHAR(20) NOT NULL,
  better    VARCHAR(10) NOT NULL,
  load_kind VARCHAR(20) NOT NULL,
  seconds   DOUBLE      NOT NULL,
  runs      INT         NOT NULL
);

-- +goose Down
DROP TABLE IF EXISTS yardsticks;
