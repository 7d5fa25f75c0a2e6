-- +goose Up
CREATE TABLE IF NOT EXISTS link_streams (
  rig_id   BIGINT          NOT NULL,
  stream   VARCHAR(64)     NOT NULL,
  last_seq BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (rig_id, stream)
);

-- +goose Down
DROP TABLE IF EXISTS link_streams;
