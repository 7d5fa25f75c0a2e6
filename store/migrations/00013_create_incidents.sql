-- +goose Up
CREATE TABLE IF NOT EXISTS incidents (
  id         BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id     BIGINT       NOT NULL,
  trim_id    BIGINT       NOT NULL,
  kind       VARCHAR(20)  NOT NULL,
  note       VARCHAR(500) NOT NULL,
  created_at DATETIME(6)  NOT NULL,
  KEY (rig_id, id),
  FOREIGN KEY (trim_id) REFERENCES trims (id)
);

-- +goose Down
DROP TABLE IF EXISTS incidents;
