-- +goose Up
CREATE TABLE IF NOT EXISTS batches (
  id         BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name       VARCHAR(80)  NOT NULL,
  ladder     VARCHAR(40)  NOT NULL,
  most_w     DOUBLE       NOT NULL,
  stop_asked BOOLEAN      NOT NULL DEFAULT FALSE,
  created_at DATETIME(6)  NOT NULL,
  ended_at   DATETIME(6)  NULL
);

-- +goose Down
DROP TABLE IF EXISTS batches;
