-- +goose Up
CREATE TABLE IF NOT EXISTS watches (
  id      BIGINT       NOT NULL AUTO_INCREMENT PRIMARY KEY,
  rig_id  BIGINT       NOT NULL,
  rule    JSON         NOT NULL,
  send    VARCHAR(300) NOT NULL,
  state   JSON         NOT NULL,
  value   DOUBLE       NULL,
  KEY (rig_id),
  FOREIGN KEY (rig_id) REFERENCES rigs (id)
);

-- +goose Down
DROP TABLE IF EXISTS watches;
