-- +goose Up
CREATE TABLE IF NOT EXISTS workshop (
  id       TINYINT      NOT NULL PRIMARY KEY DEFAULT 1,
  name     VARCHAR(80)  NOT NULL,
  note     VARCHAR(500) NOT NULL,
  currency VARCHAR(8)   NOT NULL,
  per_kwh  DOUBLE       NOT NULL,
  hours    JSON         NOT NULL
);

-- +goose Down
DROP TABLE IF EXISTS workshop;
