-- +goose Up
CREATE TABLE IF NOT EXISTS parts (
  kind       VARCHAR(20)  NOT NULL,
  id         VARCHAR(40)  NOT NULL,
  name       VARCHAR(120) NOT NULL,
  sheet      JSON         NOT NULL,
  updated_at DATETIME(6)  NOT NULL,
  PRIMARY KEY (kind, id)
);

-- +goose Down
DROP TABLE IF EXISTS parts;
