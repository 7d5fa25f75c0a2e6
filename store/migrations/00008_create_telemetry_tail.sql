-- +goose Up
CREATE TABLE IF NOT EXISTS telemetry_tail (
  id     BIGINT   NOT NULL AUTO_INCREMENT PRIMARY KEY,
  leg_id BIGINT   NOT NULL,
  body   LONGBLOB NOT NULL,
  KEY (leg_id, id)
);

-- +goose Down
DROP TABLE IF EXISTS telemetry_tail;
