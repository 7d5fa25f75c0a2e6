-- +goose Up
CREATE TABLE IF NOT EXISTS logs (
  id         BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  trial_id   BIGINT       NOT NULL,
  source_id  VARCHAR(40)  NOT NULL,
  name       VARCHAR(120) NOT NULL,
  shift_s    DOUBLE       NOT NULL,
  channels   JSON         NOT NULL,
  lines_read BIGINT       NOT NULL,
  lines_used BIGINT       NOT NULL,
  broken     BIGINT       NOT NULL,
  created_at DATETIME(6)  NOT NULL,
  KEY (trial_id),
  FOREIGN KEY (trial_id) REFERENCES trials (id)
);

-- +goose Down
DROP TABLE IF EXISTS logs;
