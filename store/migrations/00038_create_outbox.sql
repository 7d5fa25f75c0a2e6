-- +goose Up
CREATE TABLE IF NOT EXISTS outbox (
  id     BIGINT      NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at     DATETIME(6) NOT NULL,
  topic  VARCHAR(20) NOT NULL,
  rig_id BIGINT      NOT NULL,
  ref_id BIGINT      NOT NULL,
  body   MEDIUMTEXT  NULL,
  KEY (at)
);

-- +goose Down
DROP TABLE IF EXISTS outbox;
