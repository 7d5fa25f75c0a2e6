-- +goose Up
DROP TABLE IF EXISTS telemetry_blocks;

-- +goose Down
CREATE TABLE IF NOT EXISTS telemetry_blocks (
  leg_id  BIGINT       NOT NULL,
  channel VARCHAR(100) NOT NULL,
  t0      BIGINT       NOT NULL,
  t1      BIGINT       NOT NULL,
  samples INT          NOT NULL,
  body    MEDIUMBLOB   NOT NULL,
  PRIMARY KEY (leg_id, channel, t0)
);
