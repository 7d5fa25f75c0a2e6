-- What telemetry is summed up to lies apart from its samples, which may be dropped by the month when they are old.
-- +goose Up
CREATE TABLE IF NOT EXISTS telemetry_levels (
  leg_id     BIGINT NOT NULL,
  channel_id INT    NOT NULL,
  t0         BIGINT NOT NULL,
  t1         BIGINT NOT NULL,
  level      BLOB   NOT NULL,
  PRIMARY KEY (leg_id, channel_id, t0, t1)
);

-- +goose Down
DROP TABLE IF EXISTS telemetry_levels;
